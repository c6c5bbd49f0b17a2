/** Student's distribution: how sure a mean of a few values is. */

/** log Γ(x) for x > 0 (Lanczos, with the coefficients of Numerical Recipes, g = 5): relative error below 1e-10. */
function logGamma(x: number): number {
  const terms = [
    76.18009172947146, -86.50532032941678, 24.01409824083091, -1.231739572450155, 0.001208650973866179,
    -0.000005395239384953,
  ]
  const sum = terms.reduce((total, term, i) => total + term / (x + 1 + i), 1.000000000190015)
  return (x + 0.5) * Math.log(x + 5.5) - (x + 5.5) + Math.log((2.5066282746310002 * sum) / x)
}

/** The regularised incomplete beta function I_x(a, b), by Lentz's continued fraction. */
function incompleteBeta(x: number, a: number, b: number): number {
  if (x <= 0) return 0
  if (x >= 1) return 1
  // It converges quickly below the mean; above, the symmetric one does.
  if (x > (a + 1) / (a + b + 2)) return 1 - incompleteBeta(1 - x, b, a)
  const front = Math.exp(logGamma(a + b) - logGamma(a) - logGamma(b) + a * Math.log(x) + b * Math.log1p(-x))
  const tiny = 1e-300
  let c = 1
  let d = 1 / Math.max(tiny, 1 - ((a + b) * x) / (a + 1))
  let fraction = d
  for (let m = 1; m <= 300; m++) {
    const even = (m * (b - m) * x) / ((a + 2 * m - 1) * (a + 2 * m))
    const odd = (-(a + m) * (a + b + m) * x) / ((a + 2 * m) * (a + 2 * m + 1))
    let change = 1
    for (const term of [even, odd]) {
      d = 1 / (1 + term * d || tiny)
      c = 1 + term / c || tiny
      change = c * d
      fraction *= change
    }
    if (Math.abs(change - 1) < 1e-14) break
  }
  return (front * fraction) / a
}

/** The chance that a variable of Student's distribution lies beyond `t`, on one side. */
export function studentTail(t: number, freedom: number): number {
  if (!(freedom > 0)) return NaN
  if (t < 0) return 1 - studentTail(-t, freedom)
  return incompleteBeta(freedom / (freedom + t * t), freedom / 2, 0.5) / 2
}

/** The t beyond which a share `tail` lies, on one side. */
export function studentQuantile(tail: number, freedom: number): number {
  let low = 0
  let high = 1
  while (studentTail(high, freedom) > tail) high *= 2
  for (let i = 0; i < 80; i++) {
    const half = (low + high) / 2
    if (studentTail(half, freedom) > tail) low = half
    else high = half
  }
  return (low + high) / 2
}

export interface MeanInterval {
  mean: number
  /** Of its 95 % interval; infinite for fewer than two values. */
  low: number
  high: number
  /** The chance of a mean as far from 0, on either side, if the true one is 0. */
  chance: number
}

/** The mean of independent values with its interval. */
export function meanInterval(values: readonly number[]): MeanInterval {
  const n = values.length
  const mean = values.reduce((sum, value) => sum + value, 0) / Math.max(1, n)
  if (n < 2) return { mean, low: -Infinity, high: Infinity, chance: 1 }
  const variance = values.reduce((sum, value) => sum + (value - mean) ** 2, 0) / (n - 1)
  const error = Math.sqrt(variance / n)
  if (error === 0) return { mean, low: mean, high: mean, chance: mean === 0 ? 1 : 0 }
  const half = studentQuantile(0.025, n - 1) * error
  const chance = 2 * studentTail(Math.abs(mean) / error, n - 1)
  return { mean, low: mean - half, high: mean + half, chance }
}
