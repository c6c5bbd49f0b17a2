/** What a forecast hangs on: each input is changed by itself, and the forecast made again. */
import { percentileSorted } from '../stats/index.ts'
import { NS_PER_MS } from '../take/index.ts'
import type { Base } from './base.ts'
import { forecastPlan, type Forecast } from './forecast.ts'
import type { Figures } from './frames-after.ts'
import type { NumberInput, Origin } from './input.ts'
import { counts, type Plan } from './plan.ts'

export interface Sensitivity {
  item: string
  name: string
  words: string
  unit: string
  value: number
  /** Values tried, and the work at p95 with each, ms. */
  low: { value: number; p95Ms: number; meanMs: number }
  high: { value: number; p95Ms: number; meanMs: number }
  /** How far p95 and mean work move between them, together, ms. */
  swingMs: number
}

/** Figures of a forecast that have a range. Times in ms. */
export const RANGED = ['meanMs', 'p50', 'p95', 'p99', 'over'] as const
export type Ranged = (typeof RANGED)[number]
export type Ranges = Record<Ranged, { low: number; high: number }>

export interface Weighed {
  /** One input at a time, the one that moves the result most first; what moves nothing is left out. */
  sensitivity: Sensitivity[]
  ranges: Ranges
}

/** Each way by this share of the value; percentages by as many points. */
const BY = 0.3
/** Parts of the frames by whose differences a figure's own scatter is judged. */
const PARTS = 10
/** 95 % of a normal variable lie within so many standard deviations. */
const NORMAL_95 = 1.96

interface Try {
  item: string
  origin: Origin
  input: NumberInput
  value: number
  low: { value: number; figures: Figures }
  high: { value: number; figures: Figures }
}

/**
 * The range of a figure holds what the assumed inputs could move it by, each within its bounds, and what it scatters by
 * from part to part of the frames; these are taken to be independent, so that their squares add up.
 */
export function weigh(base: Base, plan: Plan, forecast: Forecast): Weighed {
  const tries = triesOf(base, plan, forecast)
  return { sensitivity: sensitivityOf(tries), ranges: rangesOf(base, forecast, tries) }
}

function triesOf(base: Base, plan: Plan, forecast: Forecast): Try[] {
  return plan.items.flatMap((item, i) => {
    const known = forecast.items[i]!
    if (!counts(item) || known.refusal !== null) return []
    return known.inputs.flatMap((input): Try[] => {
      const { value, origin } = known.assumptions.find(({ name }) => name === input.name)!
      if (input.sort !== 'number' || typeof value !== 'number') return []
      const tryWith = (changed: number) => {
        const items = plan.items.map((other, at) =>
          at === i ? { ...other, parameters: { ...other.parameters, [input.name]: changed } } : other,
        )
        const { forecast: tried, replay } = forecastPlan(base, { items }, { withSpikes: false })
        replay.release()
        // Where it would be refused the item does nothing: that says nothing about the value.
        return tried.items[i]!.refusal !== null
          ? { value, figures: forecast.after }
          : { value: changed, figures: tried.after }
      }
      const [low, high] = [tryWith(nudged(input, value, -1)), tryWith(nudged(input, value, 1))]
      return [{ item: item.id, origin, input, value, low, high }]
    })
  })
}

function sensitivityOf(tries: readonly Try[]): Sensitivity[] {
  const told = ({ value, figures }: Try['low']) => ({
    value,
    p95Ms: figures.frames.work.p95,
    meanMs: figures.meanMs,
  })
  return tries
    .map(({ item, input, value, low: less, high: more }) => {
      const { name, words, unit } = input
      const [low, high] = [told(less), told(more)]
      const swingMs = Math.abs(high.p95Ms - low.p95Ms) + Math.abs(high.meanMs - low.meanMs)
      return { item, name, words, unit, value, low, high, swingMs }
    })
    .filter(({ swingMs }) => swingMs > 1e-6)
    .sort((a, b) => b.swingMs - a.swingMs)
}

const figureOf = ({ frames, meanMs }: Pick<Figures, 'frames' | 'meanMs'>, name: Ranged): number =>
  name === 'meanMs' ? meanMs : name === 'over' ? frames.over : frames.work[name]

function rangesOf(base: Base, forecast: Forecast, tries: readonly Try[]): Ranges {
  const assumed = tries.filter(({ origin }) => origin === 'assumed')
  const rangeOf = (name: Ranged) => {
    const value = figureOf(forecast.after, name)
    const scatter = NORMAL_95 * scatterOf(base, forecast, name)
    let below = scatter ** 2
    let above = scatter ** 2
    for (const { low, high } of assumed) {
      const moved = [low, high].map(({ figures }) => figureOf(figures, name) - value)
      below += Math.min(0, ...moved) ** 2
      above += Math.max(0, ...moved) ** 2
    }
    const most = name === 'over' ? base.count : Infinity
    return {
      low: Math.max(0, value - Math.sqrt(below)),
      high: Math.min(most, value + Math.sqrt(above)),
    }
  }
  return Object.fromEntries(RANGED.map((name) => [name, rangeOf(name)])) as Ranges
}

/** Standard error of a figure over all frames, from how it differs between parts of them; 0 for too few frames. */
function scatterOf({ count, budgetNs }: Base, { frames }: Forecast, name: Ranged): number {
  const length = Math.floor(count / PARTS)
  if (length < 2) return 0
  const values = Array.from({ length: PARTS }, (_, i) => {
    const work = frames.workNs.slice(i * length, (i + 1) * length).sort()
    if (name === 'over') return work.reduce((over, ns) => over + (ns > budgetNs ? 1 : 0), 0)
    if (name === 'meanMs') return work.reduce((sum, ns) => sum + ns, 0) / length / NS_PER_MS
    return percentileSorted(work, Number(`0.${name.slice(1)}`)) / NS_PER_MS
  })
  const middle = values.reduce((sum, value) => sum + value, 0) / PARTS
  const variance = values.reduce((sum, value) => sum + (value - middle) ** 2, 0) / (PARTS - 1)
  // A count is a sum of those of the parts; all else is like their mean.
  return name === 'over' ? Math.sqrt(variance * PARTS) : Math.sqrt(variance / PARTS)
}

function nudged({ least, most, whole, unit }: NumberInput, value: number, way: 1 | -1): number {
  const step = unit === '%' ? BY * 100 : Math.max(Math.abs(value) * BY, whole ? 1 : 0)
  const moved = value + way * step
  return Math.min(most, Math.max(least, whole ? Math.round(moved) : moved))
}
