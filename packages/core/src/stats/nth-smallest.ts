/**
 * The p-quantile (type 7, see percentile.ts) without sorting: values are only moved so far that the wanted
 * ones stand in their places (Hoare's selection), which takes O(n).
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

/** Moves the value of rank `k` to place `k`, smaller ones before it, larger ones after it. */
function select(values: Float64Array, k: number): number {
  let left = 0
  let right = values.length - 1
  while (left < right) {
    const pivot = values[(left + right) >> 1]!
    let i = left
    let j = right
    while (i <= j) {
      while (values[i]! < pivot) i++
      while (values[j]! > pivot) j--
      if (i > j) break
      const kept = values[i]!
      values[i++] = values[j]!
      values[j--] = kept
    }
    if (k <= j) right = j
    else if (k >= i) left = i
    else break
  }
  return values[k]!
}
