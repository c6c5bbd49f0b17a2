/** Whether something only ever grows, and how fast. */
import { median } from './robust.ts'
import { normalTail } from './normal.ts'

/**
 * Theil and Sen's slope: the median of the slopes between all pairs of points. Unmoved by up to 29 % of
 * wild values. O(n²): meant for a few hundred points.
 * @returns 0 for fewer than two points
 */
export function theilSen(x: ArrayLike<number>, y: ArrayLike<number>): number {
  const slopes: number[] = []
  for (let i = 0; i < x.length; i++) {
    for (let j = i + 1; j < x.length; j++) {
      if (x[j] !== x[i]) slopes.push((y[j]! - y[i]!) / (x[j]! - x[i]!))
    }
  }
  return slopes.length === 0 ? 0 : median(slopes)
}

export interface MannKendall {
  /** Pairs that rise less pairs that fall. */
  s: number
  z: number
  /** Two-sided. */
  p: number
}

/**
 * Mann and Kendall's test for a monotone trend, with the correction for ties and for continuity
 * (Kendall, "Rank Correlation Methods", 1975).
 */
export function mannKendall(y: ArrayLike<number>): MannKendall {
  const n = y.length
  let s = 0
  for (let i = 0; i < n; i++) for (let j = i + 1; j < n; j++) s += Math.sign(y[j]! - y[i]!)
  const ties = new Map<number, number>()
  for (let i = 0; i < n; i++) ties.set(y[i]!, (ties.get(y[i]!) ?? 0) + 1)
  let variance = n * (n - 1) * (2 * n + 5)
  for (const t of ties.values()) variance -= t * (t - 1) * (2 * t + 5)
  variance /= 18
  if (variance <= 0) return { s, z: 0, p: 1 }
  const z = (s - Math.sign(s)) / Math.sqrt(variance)
  return { s, z, p: Math.min(1, 2 * normalTail(Math.abs(z))) }
}
