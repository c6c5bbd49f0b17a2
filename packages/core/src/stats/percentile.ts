/**
 * The p-quantile of sorted values by linear interpolation between order statistics: type 7 of
 * Hyndman and Fan, "Sample Quantiles in Statistical Packages", The American Statistician 50 (1996).
 * The one method used for every percentile in the product.
 *
 * @param sorted ascending
 * @param p from 0 to 1
 * @returns NaN when there are no values
 */
export function percentileSorted(sorted: ArrayLike<number>, p: number): number {
  const n = sorted.length
  if (n === 0) return NaN
  const rank = (n - 1) * p
  const below = Math.floor(rank)
  const low = sorted[below]!
  if (below + 1 >= n) return low
  return low + (rank - below) * (sorted[below + 1]! - low)
}

/** The p-quantile of values in any order; leaves them as they are. */
export function percentile(values: ArrayLike<number>, p: number): number {
  return percentileSorted(Float64Array.from(values).sort(), p)
}
