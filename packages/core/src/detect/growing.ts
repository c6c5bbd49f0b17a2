/** What only ever grows. */
import { mannKendall, mean, theilSen } from '../stats/index.ts'
import { countedNs, type Study } from '../study/index.ts'

/** Growth is judged on the means of this many blocks: enough to be sure, few enough to be quick. */
const BLOCKS = 120
/** The beginning fills up what a game needs; it is left out. */
const WARM_UP = 0.2
const SIGNIFICANT = 1e-4
/** It must not fall by more than this share of what it rises by. */
const MOST_FALL = 0.2
const LEAST_RISE = 0.2
/** A series that rises by less than this is a few things coming and going. */
const LEAST_COUNT = 5

export const GROWTH_LIMITS = { BLOCKS, WARM_UP, SIGNIFICANT, MOST_FALL, LEAST_RISE, LEAST_COUNT }

export interface Growth {
  /** Theil and Sen's slope, a second. */
  perSecond: number
  /** Two-sided chance of Mann and Kendall's test. */
  chance: number
  /** At the end. */
  now: number
}

/**
 * Blocks of frames, each by its mean, or by its median where single frames must not matter; the time of a
 * block is that of its middle.
 */
export function blocksOf(
  values: Float64Array,
  from: number,
  blocks: number,
  summary: (block: Float64Array) => number = mean,
): Float64Array {
  const count = Math.min(blocks, values.length - from)
  return Float64Array.from({ length: Math.max(0, count) }, (_, i) => {
    const start = from + Math.floor((i * (values.length - from)) / count)
    const end = from + Math.floor(((i + 1) * (values.length - from)) / count)
    return summary(values.subarray(start, end))
  })
}

/**
 * How a series grows, or null when it does not do so all the time.
 * @param relative it only counts what came and went in recorded frames: time that is missing between kept stretches is no time
 */
export function growthOf(study: Study, values: Float64Array, relative = false): Growth | null {
  const known = values.findIndex((value) => !Number.isNaN(value))
  if (known < 0) return null
  const from = Math.max(known, Math.floor(values.length * WARM_UP))
  const y = blocksOf(values, from, BLOCKS)
  if (y.length < 10) return null
  const x = blocksOf(relative ? countedNs(study).startNs : study.frames.startNs, from, BLOCKS).map(
    (ns) => ns / 1e9,
  )
  const rise = y.at(-1)! - y[0]!
  if (rise < LEAST_COUNT || rise < LEAST_RISE * Math.abs(mean(y))) return null
  let highest = y[0]!
  let fall = 0
  for (const value of y) {
    highest = Math.max(highest, value)
    fall = Math.max(fall, highest - value)
  }
  if (fall > MOST_FALL * rise) return null
  const { p, s } = mannKendall(y)
  const perSecond = theilSen(x, y)
  return s > 0 && p < SIGNIFICANT && perSecond > 0 ? { perSecond, chance: p, now: values.at(-1)! } : null
}
