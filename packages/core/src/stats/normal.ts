/**
 * The chance that a standard normal variable lies beyond `z`.
 * The series of erf for small z and the continued fraction of erfc for large z: relative error below 1e-10.
 */
export function normalTail(z: number): number {
  if (z < 0) return 1 - normalTail(-z)
  const x = z / Math.SQRT2
  if (x < 2.5) {
    // erf(x) = 2/√π e^(−x²) Σ 2^k x^(2k+1) / (2k+1)!!
    let term = x
    let sum = x
    for (let k = 1; k < 200 && term > sum * 1e-16; k++) {
      term *= (2 * x * x) / (2 * k + 1)
      sum += term
    }
    return 0.5 * (1 - (2 / Math.sqrt(Math.PI)) * Math.exp(-x * x) * sum)
  }
  let fraction = 0
  for (let k = 60; k > 0; k--) fraction = k / 2 / (x + fraction)
  return (0.5 * Math.exp(-x * x)) / Math.sqrt(Math.PI) / (x + fraction)
}
