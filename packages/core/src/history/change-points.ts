/**
 * Where a series changed for good: binary segmentation (Scott and Knott, "A Cluster Analysis Method for Grouping Means in the
 * Analysis of Variance", Biometrics 30, 1974), each split by Student's t over all places where it may be.
 */
import { mean, studentQuantile, studentTail } from '../stats/index.ts'

export interface ChangePoint {
  /** Number of the first value after it. */
  at: number
  before: number
  after: number
  /** Of the difference, 95 %. */
  low: number
  high: number
  /** Of a difference like this by chance, after asking all places. */
  chance: number
}

/** Values on each side of a change: one alone may be an outlier. */
const LEAST_BESIDE = 2
/** At which further changes within what is already split are believed. */
const FURTHER = 0.01

/**
 * @param values in order; NaN where it is not known
 * @param places numbers of the values before which a change may be, ascending
 * @param trifle changes by less are none
 * @returns the most telling first change with its chance, and all within both sides of it; in order
 */
export function changePoints(
  values: readonly number[],
  places: readonly number[],
  trifle: number,
): ChangePoint[] {
  const first = split(values, places, 0, values.length, trifle)
  if (first === null) return []
  const found = [first]
  const within = (from: number, to: number) => {
    const further = split(values, places, from, to, trifle)
    if (further === null || further.chance > FURTHER) return
    found.push(further)
    within(from, further.at)
    within(further.at, to)
  }
  within(0, first.at)
  within(first.at, values.length)
  return standing(
    values,
    found.sort((a, b) => a.at - b.at),
  )
}

/** The best place for one change among the values `from` to before `to`; null where there is none. */
function split(
  values: readonly number[],
  places: readonly number[],
  from: number,
  to: number,
  trifle: number,
): ChangePoint | null {
  const inside = places.filter((place) => place > from && place < to)
  let best: ChangePoint | null = null
  for (const at of inside) {
    const point = between(values, from, at, to)
    if (point !== null && (best === null || point.chance < best.chance)) best = point
  }
  if (best === null || Math.abs(best.after - best.before) < trifle) return null
  return { ...best, chance: Math.min(1, best.chance * inside.length) }
}

function between(values: readonly number[], from: number, at: number, to: number): ChangePoint | null {
  const known = (some: readonly number[]) => some.filter(Number.isFinite)
  const [one, other] = [known(values.slice(from, at)), known(values.slice(at, to))]
  if (one.length < LEAST_BESIDE || other.length < LEAST_BESIDE) return null
  const [before, after] = [mean(one), mean(other)]
  const squares = (some: number[], middle: number) =>
    some.reduce((sum, value) => sum + (value - middle) ** 2, 0)
  const freedom = one.length + other.length - 2
  const variance = (squares(one, before) + squares(other, after)) / freedom
  const error = Math.sqrt(variance * (1 / one.length + 1 / other.length))
  const difference = after - before
  const half = error === 0 ? 0 : studentQuantile(0.025, freedom) * error
  const chance =
    error === 0 ? (difference === 0 ? 1 : 0) : 2 * studentTail(Math.abs(difference) / error, freedom)
  return { at, before, after, low: difference - half, high: difference + half, chance }
}

/** Levels on either side reach to the next change only: what does not stand out from these is dropped, the least sure first. */
function standing(values: readonly number[], points: readonly ChangePoint[], isLeft = false): ChangePoint[] {
  if (points.length === 0) return []
  const near = points.map((point, i) => ({
    point,
    refined: between(values, points[i - 1]?.at ?? 0, point.at, points[i + 1]?.at ?? values.length),
  }))
  const chanceOf = ({ refined }: (typeof near)[number]) => refined?.chance ?? 1
  const weakest = near.reduce((weak, one) => (chanceOf(one) > chanceOf(weak) ? one : weak))
  if ((points.length > 1 || isLeft) && chanceOf(weakest) > FURTHER)
    return standing(
      values,
      points.filter((point) => point !== weakest.point),
      true,
    )
  return near.map(({ point, refined }) => (refined === null ? point : { ...refined, chance: point.chance }))
}
