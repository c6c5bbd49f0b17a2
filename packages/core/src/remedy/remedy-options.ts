/** The remedies that fit a finding, each with what it would bring by itself: choosing is comparing. */
import type { RemedyKind } from '../detect/index.ts'
import { mean } from '../stats/index.ts'
import type { Base } from './base.ts'
import type { Figures } from './frames-after.ts'
import { forecastPlan } from './forecast.ts'
import type { PlanItem } from './plan.ts'
import { REMEDIES } from './remedies.ts'
import type { Effort } from './remedy.ts'

export interface RemedyOption {
  remedy: RemedyKind
  words: string
  about: string
  effort: Effort
  refusal: string | null
  gainMsPerFrame: number
  /** In the frames that the finding names; the same as above where it names none. */
  gainMsWhereItStrikes: number
  /** Frames over budget that are left, and were. */
  overAfter: number
  overBefore: number
  p95Ms: number
  price: string[]
  /** Whether it takes anything away: time, or frames over budget. */
  helps: boolean
}

/** Less a frame is nothing. */
const LEAST_GAIN_MS = 1e-3

/** What a finding, or any row, offers. @param frames numbers in the study, where it strikes */
export function optionsOf(
  base: Base,
  {
    path,
    subject,
    remedies,
    frames,
  }: { path: string[]; subject: string; remedies: readonly RemedyKind[]; frames: readonly number[] },
): RemedyOption[] {
  const struck = frames.filter((frame) => frame >= 0 && frame < base.count)
  return remedies
    .map((remedy): RemedyOption => {
      const { words, about, effort, price: standing } = REMEDIES[remedy]
      const { forecast, replay } = forecastPlan(
        base,
        { items: [newItem(remedy, path, subject)] },
        { withSpikes: false },
      )
      replay.release()
      const [item] = forecast.items
      const { refusal, gainMsPerFrame, gainNs, price } = item!
      const gainMsWhereItStrikes =
        struck.length === 0
          ? gainMsPerFrame
          : gainNs === null
            ? 0
            : mean(struck.map((frame) => gainNs[frame]!)) / 1e6
      return {
        remedy,
        words,
        about,
        effort,
        refusal,
        gainMsPerFrame,
        gainMsWhereItStrikes,
        overBefore: over(forecast.before),
        overAfter: over(forecast.after),
        p95Ms: forecast.after.frames.work.p95,
        price: price.length > 0 ? price : [standing],
        helps:
          refusal === null &&
          (Math.max(gainMsPerFrame, gainMsWhereItStrikes) > LEAST_GAIN_MS ||
            over(forecast.after) < over(forecast.before)),
      }
    })
    .sort(
      (a, b) =>
        Number(b.helps) - Number(a.helps) ||
        Number(a.refusal !== null) - Number(b.refusal !== null) ||
        b.gainMsWhereItStrikes - a.gainMsWhereItStrikes,
    )
}

const over = ({ frames }: Figures): number => frames.over

/** An item as it begins: an idea, with what the take suggests. */
export const newItem = (remedy: RemedyKind, path: string[], subject: string, id = ''): PlanItem => ({
  id,
  remedy,
  path,
  subject,
  parameters: {},
  on: true,
  state: 'idea',
  effort: REMEDIES[remedy].effort,
  note: '',
  who: '',
  reason: '',
  proof: [],
})
