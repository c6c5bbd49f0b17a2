/** What a plan would have made of the recorded frames. */
import { pathNames } from '../study/index.ts'
import { MAIN_LANE } from '../take/index.ts'
import type { Base } from './base.ts'
import { asRecorded, retime, type Collected } from './collecting.ts'
import { followSteps } from './follow-steps.ts'
import { figuresOf, framesAfter, type Figures, type ForecastFrames } from './frames-after.ts'
import { settle, type Assumption, type Input } from './input.ts'
import type { Picture } from './picture.ts'
import { counts, type Plan, type PlanItem } from './plan.ts'
import { REMEDIES } from './remedies.ts'
import { outcome, Refusal, type Outcome } from './remedy.ts'
import { addTo, Replay } from './replay.ts'
import { Site } from './site.ts'

export interface ItemForecast {
  id: string
  /** Number of the path in this take; null where it has none, or for whole frames. */
  path: number | null
  /** What can be set, with what the take suggests; none where the remedy makes no sense here. */
  inputs: Input[]
  assumptions: Assumption[]
  /** Why it does nothing, in words; null where it does. */
  refusal: string | null
  /** What is wrong with the plan's words about it, though it still works. */
  problems: string[]
  /** What it takes away, ms a frame, of what those before it left: work; at a path that waits for jobs, waiting. */
  gainMsPerFrame: number
  /** The most it takes away from one frame, ms. */
  gainMsAtBest: number
  /** The same for each frame, ns; null where it does nothing, or nobody wants to know. */
  gainNs: Float64Array | null
  price: string[]
  notes: string[]
  memoryBytes: number
  stalenessMs: Outcome['stalenessMs']
  latencyFrames: Outcome['latencyFrames']
  picture: Picture | null
}

export interface Forecast {
  before: Figures
  after: Figures
  /** One for each item of the plan, in its order. */
  items: ItemForecast[]
  frames: ForecastFrames
  /** Oldest thing shown and longest wait for a result that the plan brings. */
  stalenessMs: number
  latencyFrames: number
}

export interface ForecastOptions {
  /** Looking for spikes takes as long as all the rest. */
  withSpikes?: boolean
  /** Whether the gain of each item is wanted frame by frame. */
  withGains?: boolean
}

/** A forecast, with the replay it came from for questions about single frames. */
export interface Forecasted {
  forecast: Forecast
  replay: Replay
}

/** What the first items of a plan have made of the frames. */
interface Progress {
  items: readonly PlanItem[]
  forecasts: ItemForecast[]
  replay: Replay
  collected: Collected
  /** Work of the frames after the last item: what the next one gains is taken from it. */
  workNs: Float64Array
}

const recordedCollections = (base: Base): Collected =>
  base.once('recorded collections', () => asRecorded(base.collections, base.count))

function begin(base: Base): Progress {
  const replay = new Replay(base)
  const workNs = replay.column()
  workNs.set(base.study.frames.workNs)
  return { items: [], forecasts: [], replay, collected: recordedCollections(base), workNs }
}

/** Goes on from the same point, and leaves it as it is. */
function goOnFrom({ replay: before, workNs: left, ...progress }: Progress): Progress {
  const replay = new Replay(before.base, before)
  const workNs = replay.column()
  workNs.set(left)
  return { ...progress, replay, workNs }
}

/** With further items, each of which is charged for what those before it left. */
function withItems(progress: Progress, items: readonly PlanItem[], withGains: boolean): Progress {
  const { replay, workNs } = progress
  const recorded = recordedCollections(replay.base)
  let { collected } = progress
  const forecasts = items.map((item) => {
    const found = forecastItem(replay.base, replay, item)
    if (found.outcome === null) return found.item
    const waited = waitsForJobs(replay.base, found.item.path) ? replay.waitNs.job.slice() : null
    for (const change of found.outcome.changes) replay.apply(change)
    for (const fact of found.outcome.uses) replay.used.add(fact)
    collected = collectedOf(replay, recorded)
    const work = gainedSince(workNs, workLeft(replay, recorded, collected), withGains)
    return {
      ...found.item,
      ...(waited === null ? work : gainedSince(waited, (frame) => replay.waitNs.job[frame]!, withGains)),
    }
  })
  return {
    ...{ replay, workNs, collected },
    items: [...progress.items, ...items],
    forecasts: [...progress.forecasts, ...forecasts],
  }
}

function forecastOf(
  { items: planned, forecasts: items, replay, collected }: Progress,
  withSpikes: boolean,
): Forecasted {
  const { base } = replay
  const recorded = recordedCollections(base)
  const before = base.once(`before ${withSpikes}`, () =>
    figuresOf(base, recordedOf(base), recorded, {
      ...{ withSpikes, extraMemory: 0, allocated: base.allocated, knowsCollections: true },
    }),
  )
  const doesAnything = items.some(({ refusal }, i) => refusal === null && counts(planned[i]!))
  if (doesAnything) followSteps(replay, recorded, collected)
  const frames = framesAfter(replay, recorded, collected)
  const after = figuresOf(base, frames, collected, {
    withSpikes,
    extraMemory: items.reduce((sum, { memoryBytes }) => sum + memoryBytes, 0),
    // What runs less allocates less, but nobody knows how much of it: neither bytes nor collections are as recorded.
    ...(doesAnything && !knowsBytes(replay)
      ? { allocated: null, knowsCollections: false }
      : { allocated: allocatedAfter(replay), knowsCollections: true }),
  })
  const worst = (pick: (item: ItemForecast) => number) =>
    items.reduce((most, item) => Math.max(most, pick(item)), 0)
  const forecast: Forecast = {
    before,
    after,
    items,
    frames,
    stalenessMs: worst(({ stalenessMs }) => stalenessMs.worst),
    latencyFrames: worst(({ latencyFrames }) => latencyFrames.worst),
  }
  return { forecast, replay }
}

/** Items in order; each is charged for what those before it left. */
export const forecastPlan = (
  base: Base,
  plan: Pick<Plan, 'items'>,
  { withSpikes = true, withGains = true }: ForecastOptions = {},
): Forecasted => forecastOf(withItems(begin(base), plan.items, withGains), withSpikes)

/**
 * Forecasts of one plan after the other on the same take. What the items above the first changed one made of the frames is
 * kept, so that a parameter can be dragged.
 */
export class Forecaster {
  readonly base: Base
  #last: Forecasted | null = null
  #items: readonly PlanItem[] = []
  #kept: Progress | null = null

  constructor(base: Base) {
    this.base = base
  }

  /** The last forecast: it is good until the next. */
  get last(): Forecasted | null {
    return this.#last
  }

  /** The same as `forecastPlan`, without gains frame by frame. */
  forecast({ items }: Pick<Plan, 'items'>): Forecasted {
    this.#last?.replay.release()
    const same = alikeFrom(this.#items, items)
    this.#items = items
    if (this.#kept !== null && this.#kept.items.length > alikeFrom(this.#kept.items, items)) {
      this.#kept.replay.release()
      this.#kept = null
    }
    // Where everything is as before, nothing says what is changed next.
    if (same > (this.#kept?.items.length ?? 0) && same < items.length) this.#keep(items.slice(0, same))
    const from = this.#kept === null ? begin(this.base) : goOnFrom(this.#kept)
    this.#last = forecastOf(withItems(from, items.slice(from.items.length), false), true)
    return this.#last
  }

  #keep(items: readonly PlanItem[]): void {
    const known = this.#kept
    const from = known === null ? begin(this.base) : goOnFrom(known)
    this.#kept = withItems(from, items.slice(from.items.length), false)
  }
}

/** How many items at the beginning say the same. */
function alikeFrom(some: readonly PlanItem[], others: readonly PlanItem[]): number {
  const said = ({ id, remedy, path, subject, parameters, on, state }: PlanItem) =>
    JSON.stringify([id, remedy, path, subject, parameters, counts({ on, state })])
  const differs = some.findIndex((item, i) => others[i] === undefined || said(item) !== said(others[i]))
  return differs < 0 ? some.length : differs
}

/** Work that only goes into other frames leaves sums of rounding, which are no gain, ns. */
const NOTHING = 1e-3

function forecastItem(
  base: Base,
  replay: Replay,
  item: PlanItem,
): { item: ItemForecast; outcome: Outcome | null } {
  const { changes: _changes, uses: _uses, ...unchanged } = outcome([])
  const nothing: ItemForecast = {
    id: item.id,
    path: null,
    inputs: [],
    assumptions: [],
    refusal: null,
    problems: [],
    gainMsPerFrame: 0,
    gainMsAtBest: 0,
    gainNs: null,
    ...unchanged,
  }
  const path = item.path.length === 0 ? null : findPath(base, item.path)
  if (path === undefined) {
    const refusal = `the take has no path ${item.path.join(' > ')}`
    return { item: { ...nothing, refusal }, outcome: null }
  }
  const site = new Site(replay, path, item.subject)
  const remedy = REMEDIES[item.remedy]
  let known: ItemForecast = { ...nothing, path }
  try {
    const inputs = remedy.inputs(site, item.parameters)
    const { values, assumptions, problems } = settle(inputs, item.parameters)
    known = { ...known, inputs, assumptions, problems }
    // A value that makes no sense is not guessed at.
    const wrong = problems.length > 0 && assumptions.some(({ name }) => isRefused(item, name, values[name]))
    if (!counts(item)) return { item: known, outcome: null }
    if (wrong) return { item: { ...known, refusal: problems.join('; ') }, outcome: null }
    const found = remedy.apply(site, values)
    const price = found.price.length > 0 ? found.price : [remedy.price]
    const { notes, memoryBytes, stalenessMs, latencyFrames, picture } = found
    return {
      item: { ...known, price, notes, memoryBytes, stalenessMs, latencyFrames, picture },
      outcome: found,
    }
  } catch (error) {
    if (!(error instanceof Refusal)) throw error
    return { item: { ...known, refusal: error.message }, outcome: null }
  }
}

const isRefused = ({ parameters }: PlanItem, name: string, used: unknown): boolean =>
  Object.hasOwn(parameters, name) && parameters[name] !== used

/** The number of the path with these names; on the main lane if there are several. */
function findPath({ study }: Base, names: readonly string[]): number | undefined {
  const wanted = names.join('\n')
  const found = study.paths.all.filter(
    ({ id, depth }) => depth === names.length - 1 && pathNames(study, id).join('\n') === wanted,
  )
  return (found.find(({ lane }) => lane === MAIN_LANE) ?? found[0])?.id
}

const collectedOf = (
  { base, bytesChanged, extraBytes, carriedBytes }: Replay,
  recorded: Collected,
): Collected =>
  bytesChanged && base.allocated !== null
    ? retime(base.collections, base.allocated, extraBytes, carriedBytes)
    : recorded

const waitsForJobs = ({ study }: Base, path: number | null): boolean =>
  path !== null && study.paths.get(path).kind === 'wait:job'

/** Work of a frame as things stand, ns. */
const workLeft =
  ({ workNs }: Replay, recorded: Collected, now: Collected) =>
  (frame: number): number =>
    Math.max(0, workNs[frame]! + now.pauseNs[frame]! - recorded.pauseNs[frame]!)

/** By how much each frame has less than it had, ns. @param before as it was; brought up to date */
function gainedSince(
  before: Float64Array,
  now: (frame: number) => number,
  withGains: boolean,
): Pick<ItemForecast, 'gainNs' | 'gainMsPerFrame' | 'gainMsAtBest'> {
  const gainNs = withGains ? new Float64Array(before.length) : null
  let sum = 0
  let most = 0
  for (let frame = 0; frame < before.length; frame++) {
    const left = now(frame)
    const gained = before[frame]! - left
    if (gainNs !== null) gainNs[frame] = gained
    before[frame] = left
    sum += gained
    if (gained > most) most = gained
  }
  const mean = before.length === 0 ? 0 : sum / before.length
  return { gainNs, gainMsPerFrame: Math.abs(mean) < NOTHING ? 0 : mean / 1e6, gainMsAtBest: most / 1e6 }
}

const knowsBytes = ({ base, bytesChanged }: Replay): boolean =>
  base.allocated !== null && (base.bytesByPath || bytesChanged)

function allocatedAfter({ base, extraBytes }: Replay): Float64Array | null {
  if (base.allocated === null) return null
  const after = base.allocated.slice()
  addTo(after, extraBytes)
  return after.map((bytes) => Math.max(0, bytes))
}

function recordedOf({ study: { frames } }: Base): ForecastFrames {
  const { workNs, durationNs, collectNs, waitNs } = frames
  return { workNs, durationNs, collectNs, waitNs }
}
