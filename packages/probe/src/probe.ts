import {
  FORMAT_VERSION,
  LIMITS,
  SUSPECTED_TAG,
  type Conditions,
  type LaneSpans,
  type Moment,
  type RecordingMode,
  type TakeRecord,
} from '@lapsus/core/format'
import { calibrate, warmUp } from './calibrate.ts'
import { FrameSamples, shortName } from './frame-samples.ts'
import type { CollectionWatcher, MemoryAccess } from './heap.ts'
import { KeepLast, SendAll, type Outlet, type Tripwires } from './keep-last.ts'
import { LaneProbe, receiveLanes } from './lane-link.ts'
import { LateNews, MAIN_LANE } from './late-news.ts'
import type { Sink } from './sinks/sink.ts'
import {
  SPAN_CAPACITY,
  SpanRecorder,
  toNs,
  type DeclaredMarker,
  type MarkerId,
  type WatchId,
} from './span-recorder.ts'
import { TakeStream, type AllDeclared, type ChunkContent } from './take-stream.ts'
import { Updater, UpdaterGroup } from './updater.ts'

/** A gauge's handle: what `gauge` takes. */
export type GaugeId = number
/** A class's handle: what `born`, `died` and `updater` take. */
export type ClassId = number

export interface ProbeSettings {
  game: string
  /** Frames a second the game aims for. */
  target: number
  /** Null switches the probe off. */
  sink: Sink | null
  /** Identifies the take: 8 to 64 letters, digits, '-', '_'. */
  take: string
  conditions: Conditions
  mode: RecordingMode
  /** Seconds kept before a trip, in mode keep-last. */
  keepSeconds: number
  tripwires: Tripwires
  memory: MemoryAccess
}

/** Spans are handed over twice a second, or sooner when this many have gathered. */
const HAND_OVER_MS = 500
const HAND_OVER_SPANS = SPAN_CAPACITY / 2
/** A chunk waits this long for what becomes known late: spans of other lanes, collections. */
const LATE_NEWS_MS = 60
const PROBE = 'Lapsus probe 0.1.0'

/** A chunk that has been handed over and waits for late news. */
interface Gathered extends Omit<ChunkContent, 'lanes' | 'jobs'> {
  main: LaneSpans
  endNs: number
}

/**
 * Records one take of one game. Calls never throw and never wait; what cannot be kept is left out in
 * whole frames, counted, and said in the take.
 */
export class Probe extends SpanRecorder {
  /** Told the duration of every frame, in ms, whether it is recorded or not. */
  onFrame: ((durationMs: number) => void) | null = null
  readonly #settings: ProbeSettings
  readonly #recorderMarker: MarkerId
  readonly #samples = new FrameSamples()
  readonly #heapGauge: GaugeId | null
  #sink: Sink | null
  #stream: TakeStream | null = null
  #outlet: Outlet | null = null
  #originMs = 0
  #lastHandOverMs = 0
  #stopLanes: (() => void) | null = null
  #watcher: CollectionWatcher | null = null
  #heapBefore = 0

  #frameOpen = false
  #frameStartMs = 0
  #frameFirstSpan = 0
  #frameSteps = 0
  #dropped = 0
  #frameStartsNs: number[] = []
  #frameDurationsNs: number[] = []
  #frameSpans: number[] = []
  #steps: number[] = []
  #moments: Moment[] = []
  /** Markers under tripwires, with the shortest run that trips. */
  readonly #markerWires: { marker: MarkerId; name: string; ns: number }[]

  #gathered: Gathered | null = null
  #deliverTimer: ReturnType<typeof setTimeout> | undefined
  readonly #late = new LateNews(
    ({ name, ...options }) => this.marker(name, options),
    (kind) => this.#collectionMarker(kind),
  )

  constructor(settings: ProbeSettings) {
    super(settings.mode === 'bytes' ? settings.memory.heap : null)
    this.#settings = settings
    this.#sink = settings.sink
    this.#recorderMarker = this.marker('recorder.send', { group: 'recorder' })
    this.#heapGauge = settings.memory.heap === null ? null : this.gaugeId('heap', { unit: 'bytes' })
    this.#markerWires = Object.entries(settings.tripwires.markers ?? {}).map(([name, ms]) => ({
      marker: this.marker(name),
      name,
      ns: ms * 1e6,
    }))
  }

  /** Whether anything is recorded. */
  get recording(): boolean {
    return this.#sink !== null
  }

  /** Closes the last frame and opens the next. Call it once a turn of the game loop, at its top. */
  frame(): void {
    if (this.#sink === null && this.onFrame === null) return
    if (this.#stream === null && this.#sink !== null) this.#start(this.#sink)
    const nowMs = performance.now()
    this.#closeFrame(nowMs)
    const due = nowMs - this.#lastHandOverMs >= HAND_OVER_MS || this.count >= HAND_OVER_SPANS
    if (due && this.#sink?.hasRoom()) {
      this.#handOver(toNs(nowMs - this.#originMs))
      this.#lastHandOverMs = nowMs
      this.#openFrame(nowMs)
      // The hand-over is the recorder's doing, but it takes the game's time: it must show.
      if (this.on) this.addClosed(this.#recorderMarker, nowMs, performance.now() - nowMs)
    } else {
      this.#openFrame(nowMs)
    }
  }

  /** Says how many fixed steps the current frame has run; calls add up. */
  steps(count: number): void {
    if (count > 0) this.#frameSteps += Math.floor(count)
  }

  /** Declares a number that is sampled per frame, once, outside the loop. */
  gaugeId(name: string, { unit = '' }: { unit?: string } = {}): GaugeId {
    return this.#samples.gaugeId(name, unit)
  }

  /** Sets a gauge's value for the current frame; the last value counts, one that is not finite does not. */
  gauge(gauge: GaugeId, value: number): void {
    if (this.on && Number.isFinite(value)) this.#samples.setGauge(gauge, value)
  }

  /** Declares a value whose changes are counted, once, outside the loop. */
  watchId(name: string): WatchId {
    return this.#samples.watchId(name)
  }

  /** Looks at a watched value: counts the look, and a change if it is not what it was at the last. */
  watch(watch: WatchId, value: unknown): void {
    if (this.on) this.#samples.look(watch, value)
  }

  /** Declares a class of instances, once, outside the loop. */
  classId(name: string): ClassId {
    return this.#samples.classId(name)
  }

  /** An instance has been created. @param bytes its size, where known */
  born(id: ClassId, bytes = 0): void {
    const item = this.#sink === null ? undefined : this.#samples.classes[id]
    if (item === undefined) return
    item.born++
    if (bytes > 0) item.bytes += bytes
  }

  /** An instance has been disposed of. */
  died(id: ClassId): void {
    const item = this.#sink === null ? undefined : this.#samples.classes[id]
    if (item !== undefined) item.died++
  }

  /**
   * Tells of something that the loop updates from now on.
   * @param options.every its interval, ms; 0, the default, is every frame
   * @param options.marker the marker under which each of its updates runs; the first of a class counts
   */
  updater(id: ClassId, { every = 0, marker }: { every?: number; marker?: MarkerId } = {}): Updater {
    const item = this.#samples.classes[id]
    // A handle that names nothing: what is said of it is not kept.
    if (item === undefined) return new Updater(new UpdaterGroup(), every)
    item.marker ??= marker ?? null
    return new Updater(item.updaters, every)
  }

  /** Notes that the game did something at this instant. Texts, finite numbers and truth values are kept. */
  moment(name: string, data?: Record<string, unknown>): void {
    if (this.#settings.tripwires.moments?.includes(name)) this.#trip(`moment ${name}`)
    if (!this.#frameOpen || this.#sink === null || this.#moments.length >= LIMITS.chunkMoments) return
    this.#moments.push({
      name: shortName(name),
      atNs: toNs(performance.now() - this.#originMs),
      data: data === undefined ? null : keepScalars(data),
    })
  }

  /** In mode keep-last: keeps the last seconds, for a cause given in words. */
  keep(cause: string): void {
    this.#trip(shortName(cause))
  }

  /**
   * In a worker thread: a recorder for this thread, shown beside the main one as lane `name`. Its spans
   * travel to the main thread's probe of the same game.
   */
  lane(name: string): LaneProbe {
    const { game, mode, memory } = this.#settings
    return new LaneProbe(game, shortName(name), this.markers, memory, mode)
  }

  /** Ends the take and delivers what is left. */
  async close(): Promise<void> {
    const sink = this.#sink
    this.finish()
    await sink?.close()
  }

  /** Closes the last frame and hands everything over, without waiting for its delivery. */
  finish(): void {
    const begun = this.#sink !== null && this.#stream !== null
    this.#sink = null
    if (!begun) return
    const nowMs = performance.now()
    if (this.count > this.#frameFirstSpan || !this.on) this.#closeFrame(nowMs)
    this.on = false
    this.#stopLanes?.()
    this.#handOver(toNs(nowMs - this.#originMs))
    this.#deliver()
    this.#watcher?.stop()
    this.#outlet!.finish()
    this.#stream!.end(this.#dropped)
  }

  #start(sink: Sink): void {
    const { game, target, take, conditions, mode, keepSeconds, memory } = this.#settings
    sink.onOrder?.((order) => {
      if (order.order === 'stop') void this.close()
      else this.keep(order.cause)
    })
    warmUp()
    const recorder = calibrate(mode === 'bytes' ? memory.heap : null)
    this.heapReadBytes = recorder.heapReadBytes ?? 0
    this.#watcher = memory.watchCollections?.() ?? null
    this.#originMs = performance.now()
    this.#lastHandOverMs = this.#originMs
    const record: TakeRecord = {
      record: 'take',
      lapsus: FORMAT_VERSION,
      take,
      game,
      target,
      started: new Date().toISOString(),
      conditions: { probe: PROBE, ...conditions, mode, recorder },
    }
    this.#stream = new TakeStream(sink, record, () => this.#allDeclared())
    this.#outlet = mode === 'keep-last' ? new KeepLast(this.#stream, keepSeconds) : new SendAll(this.#stream)
    this.#stopLanes = receiveLanes(game, (batch) => {
      this.#late.receive(batch, batch.timeOriginMs - performance.timeOrigin - this.#originMs)
      this.repaired += batch.repaired
    })
  }

  #openFrame(nowMs: number): void {
    // Without room for another frame's spans the frame is not recorded at all, rather than in part.
    this.on = this.#sink !== null && (this.count < HAND_OVER_SPANS || this.count === 0)
    this.#frameOpen = true
    this.#frameStartMs = nowMs
    this.#frameFirstSpan = this.count
    this.#frameSteps = 0
  }

  #closeFrame(nowMs: number): void {
    if (!this.#frameOpen) return
    this.#frameOpen = false
    const durationMs = nowMs - this.#frameStartMs
    this.onFrame?.(durationMs)
    if (this.#outlet === null) return
    this.closeOpenSpans(nowMs)
    if (!this.on || this.overflowed || this.#frameStartsNs.length >= LIMITS.chunkFrames) {
      this.truncate(this.#frameFirstSpan)
      this.#samples.forgetGauges()
      this.#dropped++
      return
    }
    this.#readHeap(nowMs)
    this.convertTimes(this.#frameFirstSpan, this.#originMs)
    this.#samples.note(this.#frameStartsNs.length)
    this.#frameStartsNs.push(toNs(this.#frameStartMs - this.#originMs))
    this.#frameDurationsNs.push(toNs(durationMs))
    this.#frameSpans.push(this.count - this.#frameFirstSpan)
    this.#steps.push(this.#frameSteps)
    this.#checkWires(durationMs)
  }

  /** The heap at the frame's end; where nobody tells of collections, a fall is taken for one. */
  #readHeap(nowMs: number): void {
    if (this.#heapGauge === null) return
    const heap = this.#settings.memory.heap!()
    this.#samples.setGauge(this.#heapGauge, heap)
    if (this.#watcher === null && heap < this.#heapBefore) {
      this.addClosed(this.#collectionMarker('suspected'), nowMs, 0)
    }
    this.#heapBefore = heap
  }

  #collectionMarker(kind: string): MarkerId {
    return this.marker(`collection (${kind})`, {
      group: 'collection',
      kind: 'collect',
      tags: kind === 'suspected' ? [SUSPECTED_TAG] : [],
    })
  }

  #trip(cause: string): void {
    this.#outlet?.trip(cause, toNs(performance.now() - this.#originMs))
  }

  #checkWires(durationMs: number): void {
    const { frameMs = Infinity } = this.#settings.tripwires
    if (durationMs > frameMs) this.#trip(`frame over ${frameMs} ms: ${durationMs.toFixed(1)} ms`)
    for (const { marker, name, ns } of this.#markerWires) {
      if (this.lasted(marker, ns, this.#frameFirstSpan)) this.#trip(`${name} over ${ns / 1e6} ms`)
    }
  }

  /** Copies what has gathered and starts afresh; the copy is completed and sent a little later. */
  #handOver(endNs: number): void {
    if (this.#frameStartsNs.length === 0) return
    this.#deliver()
    this.#gathered = {
      endNs,
      frameStartNs: Float64Array.from(this.#frameStartsNs),
      frameDurationNs: Float64Array.from(this.#frameDurationsNs),
      steps: Uint32Array.from(this.#steps),
      main: { lane: MAIN_LANE, count: Uint32Array.from(this.#frameSpans), ...this.copySpans() },
      ...this.#samples.take(),
      moments: this.#moments,
      dropped: this.#dropped,
      repaired: this.repaired,
    }
    this.truncate(0)
    this.#frameStartsNs = []
    this.#frameDurationsNs = []
    this.#frameSpans = []
    this.#steps = []
    this.#moments = []
    this.#dropped = 0
    this.repaired = 0
    this.#deliverTimer = setTimeout(() => this.#deliver(), LATE_NEWS_MS)
    // In Node a timer would keep the process alive for a chunk that is sent at exit anyway.
    ;(this.#deliverTimer as { unref?: () => void }).unref?.()
  }

  /** Sends the chunk that has been waiting. */
  #deliver(): void {
    clearTimeout(this.#deliverTimer)
    const gathered = this.#gathered
    if (gathered === null) return
    this.#gathered = null
    const { endNs, main, ...chunk } = gathered
    this.#late.addOwn(this.jobNotes, this.#watcher?.take() ?? [], -this.#originMs)
    this.jobNotes = []
    this.#outlet!.put({ ...chunk, ...this.#late.complete(main, chunk.frameStartNs, endNs) })
  }

  #allDeclared(): AllDeclared {
    const { gauges, watches, classes } = this.#samples
    return {
      markers: this.markers.map((marker: DeclaredMarker, id) => ({ id, ...marker })),
      lanes: this.#late.laneNames.map((name, id) => ({ id, name })),
      gauges: gauges.map(({ name, unit }, id) => ({ id, name, unit })),
      watches: watches.map(({ name }, id) => ({ id, name })),
      classes: classes.map(({ name, marker }, id) => ({ id, name, marker })),
    }
  }
}

function keepScalars(data: Record<string, unknown>): Moment['data'] {
  const kept = Object.entries(data).filter(
    ([, value]) => typeof value === 'string' || typeof value === 'boolean' || Number.isFinite(value),
  )
  return Object.fromEntries(kept) as Moment['data']
}
