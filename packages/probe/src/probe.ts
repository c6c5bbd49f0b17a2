import {
  fittingData,
  FORMAT_VERSION,
  LIMITS,
  pictureHead,
  SUSPECTED_TAG,
  takenGauge,
  TAKEN_UNKNOWN,
  VERSION,
  RECORDER_GROUP,
  type Conditions,
  type LaneSpans,
  type Moment,
  type Picture,
  type Stretch,
  type Place,
  type RecordingMode,
  type TakeRecord,
} from '@lapsus/core/format'
import { calibrate, warmUp } from './calibrate.ts'
import type { PlaceReader } from './code-line.ts'
import type { PictureDrawer } from './draw-picture.ts'
import { FrameSamples } from './frame-samples.ts'
import { fieldOf, heard, isAmount, isHandle, numberField, safely, shortName } from './given.ts'
import type { CollectionWatcher, MemoryAccess } from './heap.ts'
import { KeepLast, SendAll, type Outlet, type Tripwires } from './keep-last.ts'
import { LaneProbe, LaneReceiver, type TakeNow } from './lane-link.ts'
import { LateNews, MAIN_LANE } from './late-news.ts'
import type { MachineAccess } from './machine.ts'
import { startLoop, type LoopOptions } from './loop.ts'
import type { Sink } from './sinks/sink.ts'
import { SPAN_CAPACITY, SpanRecorder, toNs, type MarkerId, type WatchId } from './span-recorder.ts'
import { TakeStream, type AllDeclared, type ChunkContent } from './take-stream.ts'
import { namedVariants, Trial } from './trial.ts'
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
  /** Tells this probe from another that records under the same identity. */
  writer: string
  conditions: Conditions
  mode: RecordingMode
  /** Seconds kept before a trip, in mode keep-last. */
  keepSeconds: number
  tripwires: Tripwires
  memory: MemoryAccess
  /** Null where the platform tells nothing of it. */
  machine: MachineAccess | null
  /** Null where what other threads say comes only between turns. */
  takeNow: TakeNow | null
  places: PlaceReader
  draw: PictureDrawer
}

/** Spans are handed over twice a second, or sooner when this many have gathered. */
const HAND_OVER_MS = 500
const HAND_OVER_SPANS = SPAN_CAPACITY / 2
/** The same for values of gauges and the like. */
const HAND_OVER_SAMPLES = LIMITS.chunkSamples / 2
/** A chunk waits this long for what becomes known late: spans of other lanes, collections. */
const LATE_NEWS_MS = 60
/** What the moments of one chunk may bring: a record has a limit. */
const MOST_MOMENT_BYTES = LIMITS.recordBytes / 4
const PICTURE_EVERY_MS = 500
const MOST_STEPS = 0xffff_ffff
const PROBE = `Lapsus probe ${VERSION}`

/** A chunk that has been handed over and waits for late news. */
interface Gathered extends Omit<ChunkContent, 'lanes' | 'jobs'> {
  main: LaneSpans
  stretch: Stretch | null
  endNs: number
}

/**
 * Records one take of one game. Calls never throw and never wait; what cannot be kept is left out in
 * whole frames, counted, and said in the take.
 */
export class Probe extends SpanRecorder {
  /** Told the duration of every frame, in ms, whether it is recorded or not. */
  onFrame: ((durationMs: number) => void) | null = null
  /** Told the markers and durations of each recorded frame's spans, views that are good until it returns. */
  onSpans: ((marker: Uint16Array, durationNs: Float64Array) => void) | null = null
  /** Frames begun so far. */
  frameNumber = 0
  /** What one span costs, ns; 0 before it is measured, at the first frame. */
  spanNs = 0
  readonly #settings: ProbeSettings
  readonly #recorderMarker: MarkerId
  readonly #samples = new FrameSamples()
  readonly #heapGauge: GaugeId | null
  readonly #stolenGauge: GaugeId | null
  readonly #trials: { trial: Trial; gauge: number }[] = []
  #sink: Sink | null
  #stream: TakeStream | null = null
  #outlet: Outlet | null = null
  #originMs = 0
  #lastHandOverMs = 0
  #lanes: LaneReceiver | null = null
  #closing: Promise<void> | null = null
  #watcher: CollectionWatcher | null = null
  #heapBefore = 0

  #frameOpen = false
  /** Between a pause and the next frame: what is said then is kept with that. */
  #isPaused = false
  #stretch: Stretch | null = null
  #frameStartMs = 0
  #frameFirstSpan = 0
  #frameSteps = 0
  #dropped = 0
  #frameStartsNs: number[] = []
  #frameDurationsNs: number[] = []
  #frameSpans: number[] = []
  #steps: number[] = []
  #takenNs: number[] = []
  #moments: Moment[] = []
  #pictures: Picture[] = []
  #lastPictureMs = -Infinity
  #momentBytes = 0
  /** Markers under tripwires, with the shortest run that trips. */
  readonly #markerWires: { marker: MarkerId; name: string; ns: number }[]

  #gathered: Gathered | null = null
  #deliverTimer: ReturnType<typeof setTimeout> | undefined
  readonly #late = new LateNews(
    ({ name, at, line, ...options }) => this.declare(name, options, null, { at, line }),
    (kind) => this.#collectionMarker(kind),
  )

  constructor(settings: ProbeSettings) {
    const heap = settings.memory.heap === null ? null : reliable(settings.memory.heap)
    super(settings.mode === 'bytes' ? heap : null)
    this.#settings = { ...settings, memory: { ...settings.memory, heap } }
    this.#sink = settings.sink
    this.#recorderMarker = this.declare('recorder.send', { group: RECORDER_GROUP }, null)
    this.#heapGauge = settings.memory.heap === null ? null : this.gaugeId('heap', { unit: 'bytes' })
    this.#stolenGauge = settings.machine === null ? null : this.gaugeId('stolen by the host', { unit: 'ms' })
    this.#markerWires = Object.entries(settings.tripwires.markers ?? {}).map(([name, ms]) => ({
      marker: this.declare(name, {}, null),
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
    if (this.#isPaused) this.#resume()
    this.#closeFrame(nowMs)
    const isFull = this.count >= HAND_OVER_SPANS || this.#samples.noted >= HAND_OVER_SAMPLES
    const due = nowMs - this.#lastHandOverMs >= HAND_OVER_MS || isFull
    if (due && this.#sink?.hasRoom()) {
      const stolenMs = this.#settings.machine?.stolenMs(nowMs) ?? NaN
      if (stolenMs >= 0) this.#samples.setGauge(this.#stolenGauge!, stolenMs)
      this.#handOver(toNs(nowMs - this.#originMs))
      this.#lastHandOverMs = nowMs
      this.#openFrame(nowMs)
      // The hand-over is the recorder's doing, but it takes the game's time: it must show.
      if (this.on) this.addClosed(this.#recorderMarker, nowMs, performance.now() - nowMs)
    } else {
      this.#openFrame(nowMs)
    }
  }

  /**
   * Ends the open frame where it stands; there is none until the next `frame()`. For a loop of one's own that ends, or
   * rests: its last frame would last until then. What is said meanwhile is kept with the next frame; runs of this thread
   * are not.
   */
  pause(): void {
    if (!this.#frameOpen) return
    const nowMs = performance.now()
    this.#closeFrame(nowMs)
    this.on = false
    if (this.#sink === null) return
    this.#isPaused = true
    // What is said from here on belongs to the chunk after the pause.
    this.#handOver(toNs(nowMs - this.#originMs))
  }

  /** Neighbours across a pause are none: a stretch begins. */
  #resume(): void {
    this.#isPaused = false
    this.#stretch = { cause: 'pause', at: new Date().toISOString() }
    this.#settings.machine?.takenNs()
  }

  /** Says how many fixed steps the current frame has run; calls add up. */
  steps(count: number): void {
    if (isAmount(count)) this.#frameSteps = Math.min(MOST_STEPS, this.#frameSteps + Math.floor(count))
    else this.problems.note('counts of steps were not numbers')
  }

  /**
   * Runs the game's loop: calls `turn` once a frame, opens the frames, and marks the wait for the display's refresh
   * (in Node: for the next frame's time) as waiting. What `turn` throws ends the loop and is the game's.
   * @param turn given the ms since the frame before; the loop ends when it returns false
   * @returns ends the loop
   */
  loop(turn: (elapsedMs: number) => unknown, options: LoopOptions = {}): () => void {
    if (typeof turn !== 'function') {
      this.problems.note('calls of loop had nothing to run')
      return () => {}
    }
    const hz = fieldOf(options, 'hz')
    return startLoop(this, turn, isAmount(hz) && hz > 0 ? hz : this.#settings.target)
  }

  /** Declares a number that is sampled per frame, once, outside the loop. */
  gaugeId(name: string, options: { unit?: string } = {}): GaugeId {
    return this.#samples.gaugeId(name, fieldOf(options, 'unit') ?? '')
  }

  /** Sets a gauge's value for the current frame; the last value counts, one that is not finite does not. */
  gauge(gauge: GaugeId, value: number): void {
    if (!this.on && !this.#isPaused) return
    if (!isHandle(gauge, this.#samples.gauges.length)) this.problems.note('gauges do not exist')
    else if (Number.isFinite(value)) this.#samples.setGauge(gauge, value)
    else this.problems.note('values were not numbers', `gauge ${this.#samples.gauges[gauge]!.name}`)
  }

  /**
   * Tries variants of the same code against each other: says which is to be used now, and changes it in blocks of frames,
   * in random order. The first is used where nothing is recorded.
   * @param variants their names, two or more, each once
   * @param options.frames length of a block
   */
  trial(name: string, variants: readonly string[], options: { frames?: number } = {}): Trial {
    const names = namedVariants(variants)
    if (names.length < 2) this.problems.note('trials had not two variants', shortName(name))
    const gauge = names.length < 2 ? null : this.#samples.gaugeId(name, '', names)
    const frames = numberField(options, 'frames')
    const trial = new Trial(names, frames)
    if (gauge !== null && isHandle(gauge, this.#samples.gauges.length)) this.#trials.push({ trial, gauge })
    return trial
  }

  /** Declares a value whose changes are counted, once, outside the loop. */
  watchId(name: string): WatchId {
    return this.#samples.watchId(name)
  }

  /** Looks at a watched value: counts the look, and a change if it is not what it was at the last. */
  watch(watch: WatchId, value: unknown): void {
    if (!this.on && !this.#isPaused) return
    if (isHandle(watch, this.#samples.watches.length)) this.#samples.look(watch, value)
    else this.problems.note('watches do not exist')
  }

  protected override watchCount(): number {
    return this.#samples.watches.length
  }

  /** Declares a class of instances, once, outside the loop. */
  classId(name: string): ClassId {
    return this.#samples.classId(name)
  }

  /** An instance has been created. @param bytes its size, where known */
  born(id: ClassId, bytes = 0): void {
    const item = this.#classOf(id)
    if (item === undefined) return
    item.born++
    if (isAmount(bytes)) item.bytes += bytes
    else this.problems.note('sizes were not numbers', `class ${item.name}`)
  }

  #classOf(id: ClassId): FrameSamples['classes'][number] | undefined {
    if (this.#sink === null) return undefined
    if (isHandle(id, this.#samples.classes.length)) return this.#samples.classes[id]
    this.problems.note('classes do not exist')
    return undefined
  }

  /** An instance has been disposed of. */
  died(id: ClassId): void {
    const item = this.#classOf(id)
    if (item !== undefined) item.died++
  }

  /**
   * Tells of something that the loop updates from now on.
   * @param options.every its interval, ms; 0, the default, is every frame
   * @param options.marker the marker under which each of its updates runs; the first of a class counts
   */
  updater(id: ClassId, options: { every?: number; marker?: MarkerId } = {}): Updater {
    const every = (fieldOf(options, 'every') ?? 0) as number
    // A handle that names nothing: what is said of it is not kept.
    if (!isHandle(id, this.#samples.classes.length)) {
      this.problems.note('classes do not exist')
      return new Updater(new UpdaterGroup(), every)
    }
    const item = this.#samples.classes[id]!
    const marker = fieldOf(options, 'marker')
    if (isHandle(marker, this.markers.length)) item.marker ??= marker
    else if (marker !== undefined && marker !== null)
      this.problems.note('markers of updaters do not exist', `class ${item.name}`)
    if (!isAmount(every)) this.problems.note('intervals were not numbers', `class ${item.name}`)
    return new Updater(item.updaters, every)
  }

  /** Notes that the game did something at this instant. Texts, finite numbers and truth values are kept. */
  moment(name: string, data?: Record<string, unknown>): void {
    if (this.#settings.tripwires.moments?.includes(name)) this.#trip(shortName(`moment ${name}`))
    if ((!this.#frameOpen && !this.#isPaused) || this.#sink === null) return
    const short = shortName(name)
    if (typeof name !== 'string') this.problems.note('names of moments were not texts')
    const kept = data !== null && typeof data === 'object' ? fittingData(data) : null
    const leftOut = kept?.leftOut ?? (data === undefined ? 0 : 1)
    if (leftOut > 0)
      this.problems.note(
        'values were no texts, numbers or truth values, or too large',
        `moment ${short}`,
        leftOut,
      )
    const room = MOST_MOMENT_BYTES - this.#momentBytes
    const bytes = kept === null ? 0 : JSON.stringify(kept.data).length
    if (this.#moments.length >= LIMITS.chunkMoments || bytes > room) {
      this.problems.note('moments were too many at once')
      return
    }
    this.#momentBytes += bytes
    this.#moments.push({
      name: short,
      atNs: toNs(performance.now() - this.#originMs),
      data: kept?.data ?? null,
    })
  }

  /**
   * Keeps a small picture of what is on the screen, at most two a second: call it in each frame once that is drawn.
   * @param source a canvas or an ImageBitmap, drawn at most 320 pixels wide; or the bytes of a PNG, JPEG or WebP that is
   * so small
   */
  picture(source: unknown): void {
    const nowMs = performance.now()
    if (!this.on || !this.#frameOpen || nowMs - this.#lastPictureMs < PICTURE_EVERY_MS) return
    this.#lastPictureMs = nowMs
    const atNs = toNs(nowMs - this.#originMs)
    const keep = (bytes: Uint8Array | null) => this.#keepPicture(atNs, bytes)
    if (source instanceof Uint8Array) keep(Uint8Array.from(source))
    else if (!safely(() => (this.#settings.draw(source, LIMITS.pictureWidth, keep), true), false)) keep(null)
    // It takes the game's time: it must show.
    const marker = this.declare('recorder.picture', { group: RECORDER_GROUP }, null)
    this.addClosed(marker, nowMs, performance.now() - nowMs)
  }

  #keepPicture(atNs: number, bytes: Uint8Array | null): void {
    const head = bytes === null ? null : pictureHead(bytes)
    const { pictureWidth, pictureHeight, pictureBytes } = LIMITS
    const fits =
      head !== null &&
      head.width <= pictureWidth &&
      head.height <= pictureHeight &&
      bytes!.length <= pictureBytes
    if (!fits) this.problems.note('pictures could not be made, or were too large')
    else if (this.#sink !== null && this.#pictures.length < LIMITS.chunkPictures)
      this.#pictures.push({ atNs, bytes: bytes! })
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
    const { game, mode, memory, machine } = this.#settings
    // What the system has taken is told once: to whoever records frames on this thread.
    const own = this.#stream === null ? machine : null
    return new LaneProbe(game, shortName(name), this.markers, memory, mode, own)
  }

  /** Ends the take and delivers what is left. */
  async close(): Promise<void> {
    const sink = this.#sink
    // What other lanes said last is under way.
    if (sink !== null && this.#lanes?.mayLack === true)
      await new Promise((resolve) => setTimeout(resolve, LATE_NEWS_MS))
    this.finish()
    if (sink === null) await this.#closing
    else await (this.#closing = sink.close())
  }

  /** Closes the last frame and hands everything over, without waiting for its delivery. */
  finish(): void {
    const begun = this.#sink !== null && this.#stream !== null
    this.#sink = null
    if (!begun) return
    const nowMs = performance.now()
    if (this.count > this.#frameFirstSpan || !this.on) this.#closeFrame(nowMs)
    this.on = this.#isPaused = false
    this.#endLanes()
    this.#handOver(toNs(nowMs - this.#originMs))
    this.#deliver()
    this.#watcher?.stop()
    this.#outlet!.finish()
    this.#stream!.end(this.#dropped, this.problems.take())
  }

  /** Takes in what other lanes have said, and tells where that is not all. */
  #endLanes(): void {
    this.#lanes?.takeAll()
    for (const { name, spans } of this.#lanes?.lacking() ?? []) {
      if (spans === null)
        this.problems.note('whether all runs of other lanes came is not known', `lane ${name}`)
      else this.problems.note('runs of other lanes did not come', `lane ${name}`, spans)
    }
    this.#lanes?.stop()
  }

  #start(sink: Sink): void {
    const { game, target, take, writer, conditions, mode, keepSeconds, memory, machine, takeNow } =
      this.#settings
    sink.onOrder?.((order) => {
      if (order.order === 'stop') void this.close()
      else this.keep(order.cause)
    })
    warmUp()
    this.#readPlaces()
    const recorder = calibrate(mode === 'bytes' ? memory.heap : null, {
      heap: memory.heap,
      machine,
    })
    this.heapReadBytes = recorder.heapReadBytes ?? 0
    this.spanNs = recorder.spanNs
    this.#watcher = safely(() => memory.watchCollections?.() ?? null, null)
    this.#originMs = performance.now()
    this.#lastHandOverMs = this.#originMs
    machine?.takenNs()
    const record: TakeRecord = {
      record: 'take',
      lapsus: FORMAT_VERSION,
      take,
      game,
      target,
      started: new Date().toISOString(),
      conditions: { probe: PROBE, ...conditions, mode, recorder },
      writer,
    }
    this.#stream = new TakeStream(sink, record, () => this.#allDeclared())
    this.#outlet = mode === 'keep-last' ? new KeepLast(this.#stream, keepSeconds) : new SendAll(this.#stream)
    this.#lanes = new LaneReceiver(game, takeNow, (batch) => {
      this.#late.receive(batch, batch.timeOriginMs - performance.timeOrigin - this.#originMs)
      this.repaired += batch.repaired
      if (this.#late.leftOut > 0)
        this.problems.note('spans of other lanes came without frames', '', this.#late.leftOut)
      this.#late.leftOut = 0
    })
  }

  /** Finds out where the lines come from that have declared markers since it was last done. */
  #readPlaces(): void {
    const asked = this.markers.filter(({ line }) => line !== null)
    if (asked.length === 0) return
    const lines = asked.map(({ line }) => line!)
    for (const marker of asked) marker.line = null
    const tell = (places: (Place | null)[]) => asked.forEach((marker, i) => (marker.at = places[i] ?? null))
    safely(() => this.#settings.places(lines, tell), undefined)
  }

  #openFrame(nowMs: number): void {
    // Without room for another frame's spans the frame is not recorded at all, rather than in part.
    const hasRoom = this.count < HAND_OVER_SPANS && this.#samples.noted < HAND_OVER_SAMPLES
    this.on = this.#sink !== null && hasRoom
    this.#frameOpen = true
    this.frameNumber++
    this.#frameStartMs = nowMs
    this.#frameFirstSpan = this.count
    this.#frameSteps = 0
    if (this.#sink === null) return
    for (const { trial, gauge } of this.#trials) this.#samples.setGauge(gauge, trial.turn())
  }

  #closeFrame(nowMs: number): void {
    if (!this.#frameOpen) return
    this.#frameOpen = false
    const durationMs = nowMs - this.#frameStartMs
    if (this.onFrame !== null) this.#tellFrame(durationMs)
    if (this.#outlet === null) return
    this.closeOpenSpans(nowMs)
    const takenNs = this.#settings.machine?.takenNs() ?? TAKEN_UNKNOWN
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
    this.#takenNs.push(takenNs)
    this.#checkWires(durationMs)
    if (this.onSpans !== null) this.onSpans(...this.spansSince(this.#frameFirstSpan))
  }

  /** Markers and durations, ms, of the spans of the frame that is open, as views; of a span that is open, what stood there before. */
  spansOfFrame(): [Uint16Array, Float64Array] {
    return this.spansSince(this.#frameFirstSpan)
  }

  /** Of a frame. */
  get budgetNs(): number {
    return 1e9 / this.#settings.target
  }

  #tellFrame(durationMs: number): void {
    try {
      heard(this.onFrame!(durationMs), () => this.problems.note('calls of onFrame failed'))
    } catch {
      this.problems.note('calls of onFrame failed')
    }
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
    const tags = kind === 'suspected' ? [SUSPECTED_TAG] : []
    return this.declare(`collection (${kind})`, { group: 'collection', kind: 'collect', tags }, null)
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
    this.#readPlaces()
    this.#deliver()
    this.#gathered = {
      endNs,
      frameStartNs: Float64Array.from(this.#frameStartsNs),
      frameDurationNs: Float64Array.from(this.#frameDurationsNs),
      steps: Uint32Array.from(this.#steps),
      takenNs: Float64Array.from(this.#takenNs),
      otherFrameColumns: {},
      main: { lane: MAIN_LANE, count: Uint32Array.from(this.#frameSpans), ...this.copySpans() },
      ...this.#samples.take(),
      moments: this.#moments,
      pictures: this.#pictures,
      dropped: this.#dropped,
      repaired: this.repaired,
      problems: this.problems.take(),
      stretch: this.#stretch,
    }
    this.#stretch = null
    this.truncate(0)
    this.#frameStartsNs = []
    this.#frameDurationsNs = []
    this.#frameSpans = []
    this.#steps = []
    this.#takenNs = []
    this.#moments = []
    this.#pictures = []
    this.#momentBytes = 0
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
    const { endNs, main, gauges, stretch, ...chunk } = gathered
    this.#late.addOwn(this.jobNotes, this.#watcher?.take() ?? [], -this.#originMs)
    this.jobNotes = []
    const { taken, ...late } = this.#late.complete(main, chunk.frameStartNs, endNs)
    const takenOfLanes = taken.map(({ lane, frame, value }) => ({
      gauge: this.#samples.gaugeId(takenGauge(lane), 'ms'),
      ...{ frame, value },
    }))
    this.#outlet!.put({ ...chunk, ...late, gauges: [...gauges, ...takenOfLanes] }, stretch)
  }

  #allDeclared(): AllDeclared {
    const { gauges, watches, classes } = this.#samples
    return {
      markers: this.markers.map(({ line: _, ...marker }, id) => ({ id, ...marker })),
      lanes: this.#late.laneNames.map((name, id) => ({ id, name })),
      gauges: gauges.map(({ name, unit, variants }, id) => ({ id, name, unit, variants })),
      watches: watches.map(({ name }, id) => ({ id, name })),
      classes: classes.map(({ name, marker }, id) => ({ id, name, marker })),
    }
  }
}

/** A heap reader of the game's own may fail, or say something else. */
const reliable =
  (heap: () => number): (() => number) =>
  () => {
    const bytes: unknown = safely(heap, 0)
    return isAmount(bytes) ? bytes : 0
  }
