/** Which assumptions matter: each is changed by itself, and the forecast made again. */
import type { Base } from './base.ts'
import { forecastPlan, type Forecast } from './forecast.ts'
import type { NumberInput } from './input.ts'
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

/** Each way by this share of the value; percentages by as many points. */
const BY = 0.3

/** One at a time, the one that moves the result most first; what moves nothing is left out. */
export function sensitivityOf(base: Base, plan: Plan, forecast: Forecast): Sensitivity[] {
  const found: Sensitivity[] = []
  plan.items.forEach((item, i) => {
    const known = forecast.items[i]!
    if (!counts(item) || known.refusal !== null) return
    for (const input of known.inputs) {
      const assumption = known.assumptions.find(({ name }) => name === input.name)!
      if (input.sort !== 'number' || typeof assumption.value !== 'number') continue
      const { value } = assumption
      const tryWith = (changed: number) => {
        const items = plan.items.map((other, at) =>
          at === i ? { ...other, parameters: { ...other.parameters, [input.name]: changed } } : other,
        )
        const { forecast: tried, replay } = forecastPlan(base, { items }, { withSpikes: false })
        replay.release()
        // Where it would be refused the item does nothing: that says nothing about the value.
        return tried.items[i]!.refusal !== null
          ? null
          : { value: changed, p95Ms: tried.after.frames.work.p95, meanMs: tried.after.meanMs }
      }
      const here = { value, p95Ms: forecast.after.frames.work.p95, meanMs: forecast.after.meanMs }
      const low = tryWith(nudged(input, value, -1)) ?? here
      const high = tryWith(nudged(input, value, 1)) ?? here
      const swingMs = Math.abs(high.p95Ms - low.p95Ms) + Math.abs(high.meanMs - low.meanMs)
      if (!(swingMs > 1e-6)) continue
      found.push({
        item: item.id,
        name: input.name,
        words: input.words,
        unit: input.unit,
        value,
        low,
        high,
        swingMs,
      })
    }
  })
  return found.sort((a, b) => b.swingMs - a.swingMs)
}

function nudged({ least, most, whole, unit }: NumberInput, value: number, way: 1 | -1): number {
  const step = unit === '%' ? BY * 100 : Math.max(Math.abs(value) * BY, whole ? 1 : 0)
  const moved = value + way * step
  return Math.min(most, Math.max(least, whole ? Math.round(moved) : moved))
}
