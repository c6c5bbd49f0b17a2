import { ORIGINS, RANGED } from '../../remedy/index.ts'
import { WAIT_REASONS } from '../../take/index.ts'
import {
  anyNumber,
  list,
  number,
  numberOrText,
  object,
  oneOf,
  orNone,
  rows,
  text,
  whole,
  type Field,
  type Told,
} from '../shape.ts'

/** The same field for each of some names. */
const each = <const N extends readonly string[], T>(names: N, of: Field<T>): Record<N[number], Field<T>> =>
  Object.fromEntries(names.map((name) => [name, of])) as Record<N[number], Field<T>>

/** The headline of some frames; what no frames have is null. */
const FRAME_FIGURES = {
  frames: whole(''),
  budgetMs: number('', 'ms'),
  work: object(each(['p50', 'p95', 'p99', 'p999', 'worst'], anyNumber('', 'ms')), 'own work of a frame'),
  over: whole('frames whose own work exceeds the budget'),
  overShare: number('from 0 to 1'),
  overTimeMs: number('what they exceed it by, all together', 'ms'),
  late: whole('frames that took longer than the budget by more than a twentieth'),
  held: whole('late, though their work fits: they waited'),
  heldBy: object(each(WAIT_REASONS, whole('')), 'by what they waited for longest'),
}

const figures = (about: string) =>
  object(
    {
      frames: object(FRAME_FIGURES, 'the headline'),
      meanMs: anyNumber('mean work of a frame', 'ms'),
      spikes: orNone(whole('episodes of frames that stick out')),
      collectionsPer1000: orNone(
        number('collections of the main lane; null where not known', 'of 1,000 frames'),
      ),
      collectionMsPer1000: orNone(number('their pauses', 'ms of 1,000 frames')),
      bytesPerFrame: orNone(number('allocated; null where not known', 'bytes a frame')),
      memoryBytes: orNone(
        number('largest heap, with what the plan holds on top; null where not known', 'bytes'),
      ),
    },
    about,
  )

const meanAndWorst = (about: string, unit: string) =>
  object({ mean: number(''), worst: number('') }, `${about} (${unit})`)

const ITEM = {
  number: whole('among the items as they were written, from 1 on'),
  remedy: text('as in the plan'),
  path: list(text(''), 'as in the plan; empty for whole frames'),
  gainMsPerFrame: number('work it takes away of what the items before it left: mean over all frames', 'ms'),
  gainMsAtBest: number('in the frame that it helps most', 'ms'),
  price: list(text(''), 'what it costs here, in words'),
  assumptions: rows(
    {
      name: text('of the input'),
      words: text('what it is called'),
      value: numberOrText('with which it was worked out'),
      unit: text(''),
      origin: oneOf(ORIGINS, 'the take, or somebody’s judgement'),
    },
    'what it was worked out with',
  ),
  refusal: orNone(text('why it does nothing; null where it does')),
  notes: list(text(''), 'what to know besides'),
  memoryBytes: number('held on top', 'bytes'),
  stalenessMs: meanAndWorst('age of what is shown', 'ms'),
  latencyFrames: meanAndWorst('until a result', 'frames'),
}

export const FORECAST_TELLS = {
  plan: text('its name'),
  before: figures('as recorded'),
  after: figures('with the plan'),
  ranges: object(
    each(RANGED, object({ low: anyNumber(''), high: anyNumber('') }, 'of that figure after the plan')),
    'how far the figures after may be off: from what is assumed, and from how they scatter',
  ),
  items: rows(ITEM, 'in the order of the plan'),
  problems: list(text(''), 'what is wrong with the plan, in words; the rest of it counts'),
}
export type ForecastTold = Told<typeof FORECAST_TELLS>
