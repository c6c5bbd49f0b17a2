/** Middle and spread that a few wild values do not move. */
import { percentileInPlace } from './nth-smallest.ts'

/** What makes the median absolute deviation of normal noise equal to its standard deviation. */
export const MAD_TO_SIGMA = 1.4826

/** NaN when there are no values. */
export const median = (values: ArrayLike<number>): number => percentileInPlace(new Float64Array(values), 0.5)

/** Whether the median is at least so much: told by counting, mostly. False where there are no values. */
export function isMedianAtLeast(values: ArrayLike<number>, least: number): boolean {
  let above = 0
  for (let i = 0; i < values.length; i++) if (values[i]! >= least) above++
  const below = values.length - above
  return above === below ? median(values) >= least : above > below
}

/** Median distance from the median; NaN when there are no values. */
export function medianDeviation(values: ArrayLike<number>): number {
  const distances = new Float64Array(values)
  const middle = percentileInPlace(distances, 0.5)
  for (let i = 0; i < distances.length; i++) distances[i] = Math.abs(distances[i]! - middle)
  return percentileInPlace(distances, 0.5)
}

/** 0 for what is not there. */
export function sum(values: ArrayLike<number> | undefined): number {
  let total = 0
  if (values !== undefined) for (let i = 0; i < values.length; i++) total += values[i]!
  return total
}

export const mean = (values: ArrayLike<number>): number => sum(values) / values.length

/** Pearson's correlation; 0 where one of the two does not vary. */
export function correlation(x: ArrayLike<number>, y: ArrayLike<number>): number {
  const [middleX, middleY] = [mean(x), mean(y)]
  let xy = 0
  let xx = 0
  let yy = 0
  for (let i = 0; i < x.length; i++) {
    const dx = x[i]! - middleX
    const dy = y[i]! - middleY
    xy += dx * dy
    xx += dx * dx
    yy += dy * dy
  }
  return xx > 0 && yy > 0 ? xy / Math.sqrt(xx * yy) : 0
}
