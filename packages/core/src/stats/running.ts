/** Median and median deviation in a window that slides over a column. */

export interface RunningSpread {
  median: Float64Array
  /** Median absolute deviation, not scaled. */
  deviation: Float64Array
}

/**
 * For each value of `values[from…to)`: median and median deviation of the values at most `reach` away, in
 * the same stretch. At the ends the window is one-sided but as wide, as far as there are values.
 *
 * The window is kept sorted; the deviation is read from it by walking outwards from the median, so that a
 * step costs O(window), without allocation.
 */
export function runningSpread(
  values: Float64Array,
  reach: number,
  from = 0,
  to = values.length,
  out: RunningSpread = {
    median: new Float64Array(values.length),
    deviation: new Float64Array(values.length),
  },
): RunningSpread {
  const width = Math.min(2 * reach + 1, to - from)
  const sorted = values.slice(from, from + width).sort()
  let first = from
  for (let i = from; i < to; i++) {
    const wanted = Math.min(Math.max(i - reach, from), to - width)
    for (; first < wanted; first++) replace(sorted, values[first]!, values[first + width]!)
    const middle = middleOf(sorted)
    out.median[i] = middle
    out.deviation[i] = deviationOf(sorted, middle)
  }
  return out
}

/** The same for one value alone: cheaper where few are asked for. */
export function spreadAt(
  values: Float64Array,
  i: number,
  reach: number,
  from = 0,
  to = values.length,
): { median: number; deviation: number } {
  const width = Math.min(2 * reach + 1, to - from)
  const first = Math.min(Math.max(i - reach, from), to - width)
  const sorted = values.slice(first, first + width).sort()
  const median = middleOf(sorted)
  return { median, deviation: deviationOf(sorted, median) }
}

const middleOf = (sorted: Float64Array): number => {
  const half = sorted.length >> 1
  return sorted.length % 2 === 1 ? sorted[half]! : (sorted[half - 1]! + sorted[half]!) / 2
}

/** Takes one value out of a sorted array and puts another in. */
function replace(sorted: Float64Array, leaving: number, entering: number): void {
  let at = lowerBound(sorted, leaving)
  for (; at > 0 && sorted[at - 1]! > entering; at--) sorted[at] = sorted[at - 1]!
  for (; at + 1 < sorted.length && sorted[at + 1]! < entering; at++) sorted[at] = sorted[at + 1]!
  sorted[at] = entering
}

/** The distances to the middle grow outwards on both sides: merging them gives their order. */
function deviationOf(sorted: Float64Array, middle: number): number {
  const n = sorted.length
  let right = lowerBound(sorted, middle)
  let left = right - 1
  const wanted = n >> 1
  let before = 0
  let last = 0
  for (let taken = 0; taken <= wanted; taken++) {
    before = last
    const toLeft = left >= 0 ? middle - sorted[left]! : Infinity
    const toRight = right < n ? sorted[right]! - middle : Infinity
    if (toLeft < toRight) {
      last = toLeft
      left--
    } else {
      last = toRight
      right++
    }
  }
  return n % 2 === 1 ? last : (before + last) / 2
}

/** The first place whose value is not below `value`. */
export function lowerBound(sorted: ArrayLike<number>, value: number, from = 0, to = sorted.length): number {
  while (from < to) {
    const half = (from + to) >> 1
    if (sorted[half]! < value) from = half + 1
    else to = half
  }
  return from
}
