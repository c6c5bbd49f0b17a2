/**
 * The p-quantile (type 7, see percentile.ts) without sorting: values are only moved so far that the wanted
 * ones stand in their places (selection), which takes O(n).
 * @param values are reordered
 * @returns NaN when there are no values
 */
export function percentileInPlace(values: Float64Array, p: number): number {
  const n = values.length
  if (n === 0) return NaN
  const rank = (n - 1) * p
  const below = Math.floor(rank)
  const low = select(values, below)
  if (rank === below) return low
  // Everything after the selected place is at least as large: the next order statistic is the least of it.
  let high = Infinity
  for (let i = below + 1; i < n; i++) if (values[i]! < high) high = values[i]!
  return low + (rank - below) * (high - low)
}

/** Up to so many values a pivot is as good as any; of more it is selected from a sample. */
const FEW = 600

/**
 * Moves the value of rank `k` to place `k`, smaller ones before it, larger ones after it. The pivot of many values is one
 * that a sample of them holds to be about the `k`th: Floyd and Rivest, "Algorithm 489: SELECT", Communications of the ACM
 * 18 (1975). No order that columns of figures come in, such as a load that rises and falls again, makes it slow.
 * What is smaller is counted and not branched on: at a pivot near the middle a branch would be guessed wrong half of the time.
 */
function select(values: Float64Array, k: number, left = 0, right = values.length - 1): number {
  while (left < right) {
    if (right - left > FEW) selectPivot(values, k, left, right)
    const pivot = values[k]!
    let less = left
    for (let i = left; i <= right; i++) {
      const value = values[i]!
      values[i] = values[less]!
      values[less] = value
      less += Number(value < pivot)
    }
    if (k < less) {
      right = less - 1
      continue
    }
    let equal = less
    for (let i = less; i <= right; i++) {
      const value = values[i]!
      values[i] = values[equal]!
      values[equal] = value
      equal += Number(value <= pivot)
    }
    // What is no number is equal to nothing.
    if (k < equal || equal === less) break
    left = equal
  }
  return values[k]!
}

/** Moves to place `k` what is about the `k`th: selected among those around it, so many that it is near with hardly a doubt. */
function selectPivot(values: Float64Array, k: number, left: number, right: number): void {
  const count = right - left + 1
  const rank = k - left + 1
  const logCount = Math.log(count)
  const size = Math.exp((2 / 3) * logCount) / 2
  const spread = Math.sqrt((logCount * size * (count - size)) / count) * (rank < count / 2 ? -0.5 : 0.5)
  const first = Math.floor(k - (rank * size) / count + spread)
  const last = Math.floor(k + ((count - rank) * size) / count + spread)
  select(values, k, Math.max(left, first), Math.min(right, last))
}
