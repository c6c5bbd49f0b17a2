/** Straight lines through points, and which of several laws deserves to be believed. */

export interface Line {
  /** y = base + slope · x */
  base: number
  slope: number
  /** Sum of the squares of what the line misses. */
  rss: number
}

/**
 * Ordinary least squares, with base and slope held at 0 or above: a cost is never negative, nor does load
 * make it less.
 */
export function risingLine(x: ArrayLike<number>, y: ArrayLike<number>): Line {
  const n = x.length
  let [sumX, sumY, sumXX, sumXY] = [0, 0, 0, 0]
  for (let i = 0; i < n; i++) {
    sumX += x[i]!
    sumY += y[i]!
    sumXX += x[i]! * x[i]!
    sumXY += x[i]! * y[i]!
  }
  const spread = n * sumXX - sumX * sumX
  // Equal x leave a rest of rounding, which is no spread.
  let slope = spread > 1e-12 * n * sumXX ? (n * sumXY - sumX * sumY) / spread : 0
  let base = n === 0 ? 0 : (sumY - slope * sumX) / n
  if (slope < 0) {
    slope = 0
    base = sumY / n
  } else if (base < 0) {
    base = 0
    slope = sumXX > 0 ? Math.max(0, sumXY / sumXX) : 0
  }
  let rss = 0
  for (let i = 0; i < n; i++) rss += (y[i]! - base - slope * x[i]!) ** 2
  return { base, slope, rss }
}

/**
 * Akaike's criterion with Hurvich and Tsai's correction for few points (Biometrika 76, 1989): the lower,
 * the better the law pays for its parameters.
 * @param parameters without the noise itself, which counts as one more
 */
export function aicc(rss: number, points: number, parameters: number): number {
  const k = parameters + 1
  if (points <= k + 1) return Infinity
  return (
    points * Math.log(Math.max(rss, Number.MIN_VALUE) / points) + 2 * k + (2 * k * (k + 1)) / (points - k - 1)
  )
}
