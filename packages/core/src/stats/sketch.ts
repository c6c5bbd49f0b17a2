/**
 * Buckets for whole numbers >= 0 whose width grows with the value, so that counts from different
 * chunks add up and percentiles come out within 0.1 %.
 *
 * Values below 1024 have a bucket each. Above, every doubling is cut into 512 equal buckets, so a
 * bucket is at most 1/512 of its value wide and its middle at most 1/1024 away from any member.
 */

const STEPS = 512

/** One more than the bucket of the largest safe integer. */
export const BUCKETS = bucketOf(Number.MAX_SAFE_INTEGER) + 1

/** The bucket of a whole number from 0 to 2^53 − 1. */
export function bucketOf(value: number): number {
  if (value < 2 * STEPS) return value
  if (value < 0x8000_0000) {
    const small = 22 - Math.clz32(value)
    return small * STEPS + (value >> small)
  }
  const shift = exponentOf(value) - 9
  return shift * STEPS + Math.floor(value / 2 ** shift)
}

/** The middle of a bucket's values. */
export function bucketMiddle(bucket: number): number {
  if (bucket < 2 * STEPS) return bucket
  const shift = Math.floor(bucket / STEPS) - 1
  const width = 2 ** shift
  return (bucket - shift * STEPS) * width + (width - 1) / 2
}

/** floor(log2(value)), exact up to 2^53. */
function exponentOf(value: number): number {
  return value < 0x1_0000_0000 ? 31 - Math.clz32(value) : 63 - Math.clz32(Math.floor(value / 0x1_0000_0000))
}

/**
 * The p-quantile (type 7) of `zeros` zeros together with the values counted in the buckets.
 * @param buckets ascending, none twice
 * @param counts how many values each bucket holds
 */
export function sketchPercentile(
  buckets: ArrayLike<number>,
  counts: ArrayLike<number>,
  zeros: number,
  p: number,
): number {
  let n = zeros
  for (let i = 0; i < counts.length; i++) n += counts[i]!
  if (n === 0) return NaN
  const rank = (n - 1) * p
  const below = Math.floor(rank)
  const low = orderStatistic(buckets, counts, zeros, below)
  if (rank === below) return low
  return low + (rank - below) * (orderStatistic(buckets, counts, zeros, below + 1) - low)
}

/** The value at position `k`, from 0, in ascending order. */
function orderStatistic(
  buckets: ArrayLike<number>,
  counts: ArrayLike<number>,
  zeros: number,
  k: number,
): number {
  let seen = zeros
  if (k < seen) return 0
  for (let i = 0; i < buckets.length; i++) {
    seen += counts[i]!
    if (k < seen) return bucketMiddle(buckets[i]!)
  }
  return NaN
}
