import {
  BYTES_UNKNOWN,
  MARKER_KINDS,
  EFFECT_NONE,
  EFFECT_SOME,
  EFFECT_UNSAID,
  JOB_BEGUN,
  JOB_DISPATCHED,
  JOB_ENDED,
  LIMITS,
  NO_KEY,
  type LaneSpans,
  type MarkerKind,
  type Place,
} from '@lapsus/core/format'
import { callerOf, placeGiven, type CodeLine } from './code-line.ts'
import { fieldOf, isHandle, listField, shortName, textOf } from './given.ts'
import type { HeapReader } from './heap.ts'
import { markMethods } from './mark-methods.ts'
import { Problems } from './problems.ts'

/** A marker's handle: what `enter` takes. */
export type MarkerId = number
/** A job's number, to be sent along with the work. */
export type JobId = number
/** A watched value's handle: what `watch` takes. */
export type WatchId = number

export interface MarkerOptions {
  /** Heading under which the marker is summed up, such as `simulation`. Default: none. */
  group?: string
  /** Whether its time is work or waiting. Default: `work`. */
  kind?: MarkerKind
  /** What else is known of it: `search` for one that looks for something it could have kept. */
  tags?: readonly string[]
  /** Watched values that its runs look at, so that looking can be compared with change. */
  watches?: readonly WatchId[]
  /** Where in the code it stands. Default: where `marker` was called. */
  at?: { file: string; line: number }
}

export interface DeclaredMarker {
  name: string
  group: string
  kind: MarkerKind
  tags: string[]
  watches: WatchId[]
  /** Null until it is known. */
  at: Place | null
  /** The line that declared it, until it is known where that comes from; null then, and where nobody can tell. */
  line: CodeLine | null
}

/** Spans without their lane and their frames. */
export type SpanBlock = Omit<LaneSpans, 'lane' | 'count'>

/** Something that happened to a job on this thread; `atMs` on the thread's own performance.now(). */
export interface JobNote {
  job: JobId
  event: number
  marker: MarkerId
  atMs: number
}

/** Spans that fit between two hand-overs. A frame with more than half of it may be left out, whole. */
export const SPAN_CAPACITY = 65_536
const DEEPEST = LIMITS.spanDepth + 1

/** Stands for every marker beyond the limit: names made per entity must not fill the game's memory. */
const TOO_MANY: DeclaredMarker = {
  name: '(more markers than a take may have)',
  group: '',
  kind: 'work',
  tags: [],
  watches: [],
  at: null,
  line: null,
}

/**
 * Records nested spans of one thread into typed arrays. Nothing here allocates per span.
 *
 * Columns, one element a span, in order of start, parents before children; one spare element at the end
 * takes what does not fit. Times are ms on the thread's own `performance.now()` while a frame is open, and
 * ns since the take's start (convertTimes) once it is closed.
 */
export class SpanRecorder {
  /** Switched off, a call costs this one test. */
  protected on = false
  protected count = 0
  protected depth = 0
  /** The columns were full at some point: what they hold since the last frame began is not whole. */
  protected overflowed = false
  /** Leaves without enter, enters without leave, spans nested too deep to keep. */
  protected repaired = 0
  /** Wrong calls, counted by kind. */
  protected readonly problems = new Problems()
  protected readonly markers: DeclaredMarker[] = []
  protected jobNotes: JobNote[] = []
  readonly #markerIds = new Map<string, MarkerId>()
  /** Not declared by the game so far, such as those under tripwires: it still tells what they are, and where. */
  readonly #namedOnly = new Set<MarkerId>()
  readonly #marker = new Uint16Array(SPAN_CAPACITY + 1)
  readonly #depth = new Uint8Array(SPAN_CAPACITY + 1)
  readonly #start = new Float64Array(SPAN_CAPACITY + 1)
  readonly #duration = new Float64Array(SPAN_CAPACITY + 1)
  readonly #effect = new Uint8Array(SPAN_CAPACITY + 1)
  readonly #key = new Uint32Array(SPAN_CAPACITY + 1)
  /** Null unless bytes are recorded. */
  readonly #heap: HeapReader | null
  /** Heap at the span's start until it is closed, then its bytes. */
  readonly #bytes: Float64Array
  /** Heap reads made before the span's own first. */
  readonly #readsBefore: Uint32Array
  #heapReads = 0
  /** What one heap read itself allocates: taken out of every span's bytes. */
  protected heapReadBytes = 0
  #nextJob: JobId
  /** By depth: the span that is open there. */
  readonly #open = new Int32Array(DEEPEST)

  /**
   * @param heap read at both ends of every span, if given
   * @param firstJob number of the first job dispatched here
   */
  constructor(heap: HeapReader | null = null, firstJob: JobId = 1) {
    this.#heap = heap
    this.#bytes = new Float64Array(heap === null ? 0 : SPAN_CAPACITY + 1)
    this.#readsBefore = new Uint32Array(heap === null ? 0 : SPAN_CAPACITY + 1)
    this.#nextJob = firstJob
  }

  /** Declares a named place in the code, once, outside the loop. The same name gives the same handle. */
  marker(name: string, options: MarkerOptions = {}): MarkerId {
    if (typeof name !== 'string') this.problems.note('names of markers were not texts')
    return this.declare(name, options, this.marker)
  }

  /**
   * The same, for whoever declares it for somebody else.
   * @param below what the game's code has called; null for a marker of the recorder's own
   * @param from where another thread has declared it
   */
  protected declare(
    name: string,
    options: MarkerOptions,
    below: unknown,
    from: Pick<DeclaredMarker, 'at' | 'line'> | null = null,
  ): MarkerId {
    const short = shortName(name)
    const known = this.#markerIds.get(short)
    const isGames = below !== null || from !== null
    if (known !== undefined && !(isGames && this.#namedOnly.has(known))) return known
    if (known === undefined && this.markers.length >= LIMITS.markers - 1) return this.#overflowMarker()
    const id = known ?? this.markers.length
    const at = from?.at ?? placeGiven(fieldOf(options, 'at'))
    const line = from?.line ?? (at === null && below !== null ? callerOf(below) : null)
    this.markers[id] = { name: short, ...this.#goodOptions(short, options), at, line }
    this.#markerIds.set(short, id)
    if (isGames) this.#namedOnly.delete(id)
    else this.#namedOnly.add(id)
    return id
  }

  /** What was given for a marker, as far as a take can hold it. */
  #goodOptions(name: string, given: unknown): Omit<DeclaredMarker, 'name' | 'at' | 'line'> {
    const about = `marker ${name}`
    const givenKind = fieldOf(given, 'kind') ?? 'work'
    const kind = MARKER_KINDS.find((one) => one === givenKind)
    if (kind === undefined) this.problems.note('kinds do not exist', about)
    const tags = listField(given, 'tags').map((tag) => textOf(tag).slice(0, LIMITS.nameLength))
    const watches = listField(given, 'watches').filter((watch) => isHandle(watch, this.watchCount()))
    if (watches.length < listField(given, 'watches').length) this.problems.note('watches do not exist', about)
    return {
      group: textOf(fieldOf(given, 'group') ?? '').slice(0, LIMITS.nameLength),
      kind: kind ?? 'work',
      tags: tags.filter((tag) => tag !== '').slice(0, LIMITS.tags),
      watches: [...new Set(watches as WatchId[])],
    }
  }

  /** Watched values that have been declared. */
  protected watchCount(): number {
    return LIMITS.watches
  }

  #overflowMarker(): MarkerId {
    if (this.markers.length < LIMITS.markers) this.markers.push(TOO_MANY)
    return LIMITS.markers - 1
  }

  /**
   * Opens a span. Every `enter` needs its `leave`, in the same frame.
   * @param key what this run is about: a whole number from 1, the same for the same question. In a wait
   *   for a job, the job.
   */
  enter(marker: MarkerId, key = NO_KEY): void {
    if (!this.on) return
    const depth = this.depth++
    const at = this.count
    if (depth >= DEEPEST || at >= SPAN_CAPACITY) {
      this.#enterBeyond(depth)
      return
    }
    this.count = at + 1
    // Written so that it is false for whatever is no number, without asking it for one.
    const known = typeof marker === 'number' && marker >= 0 && marker < this.markers.length
    this.#marker[at] = known ? marker : this.#unknownMarker()
    this.#depth[at] = depth
    this.#open[depth] = at
    this.#key[at] = typeof key === 'number' ? key : this.#wrongKey()
    if (this.#heap !== null) {
      this.#readsBefore[at] = this.#heapReads++
      this.#bytes[at] = this.#heap()
    }
    this.#start[at] = performance.now()
  }

  /**
   * Closes the span opened last.
   * @param changed whether the run changed anything; a run that did not was needless
   */
  leave(changed?: boolean): void {
    if (!this.on) return
    const nowMs = performance.now()
    const depth = --this.depth
    // One test for both: a negative depth is a huge unsigned number.
    if (depth >>> 0 >= DEEPEST) {
      this.#leaveBeyond(depth)
      return
    }
    const at = this.#open[depth]!
    this.#duration[at] = nowMs - this.#start[at]!
    this.#effect[at] = changed === undefined ? EFFECT_UNSAID : changed ? EFFECT_SOME : EFFECT_NONE
    if (this.#heap !== null) this.#closeBytes(at, this.#heap())
  }

  /** Stands for a handle that names nothing, so that its leave finds a place. */
  #unknownMarker(): MarkerId {
    this.problems.note('spans had no marker that exists')
    return this.declare('(unknown marker)', {}, null)
  }

  #wrongKey(): number {
    this.problems.note('keys of spans were not numbers')
    return NO_KEY
  }

  #closeBytes(at: number, heapNow: number): void {
    const allocated = heapNow - this.#bytes[at]!
    const reads = this.#heapReads++ - this.#readsBefore[at]!
    this.#bytes[at] =
      allocated < 0 ? BYTES_UNKNOWN : Math.max(0, Math.round(allocated - reads * this.heapReadBytes))
  }

  /** Runs `work` inside a span, which is closed even when it throws. For synchronous functions. */
  run<T>(marker: MarkerId, work: () => T): T {
    if (typeof work !== 'function') {
      this.problems.note('calls of run had nothing to run')
      return undefined as T
    }
    this.enter(marker)
    try {
      return work()
    } finally {
      this.leave()
    }
  }

  /**
   * Puts a run of a marker around methods of an object, or of all of a class by its prototype:
   * `probe.mark(Moth.prototype, ['update', 'steer'])`. Named as the code is, `Moth.update`.
   * @returns takes the markers out again
   */
  mark(target: object, methods: readonly string[], options: MarkerOptions = {}): () => void {
    const isGiven = (typeof target === 'object' && target !== null) || typeof target === 'function'
    if (!isGiven || !Array.isArray(methods)) {
      this.problems.note('calls of mark had nothing to mark')
      return () => {}
    }
    const marking = {
      marker: (name: string) => this.declare(name, options, this.mark),
      enter: (marker: MarkerId) => this.enter(marker),
      leave: () => this.leave(),
      note: (what: string, about: string) => this.problems.note(what, about),
    }
    try {
      return markMethods(marking, target, (methods as unknown[]).map(textOf))
    } catch {
      // An object may answer any question by throwing.
      this.problems.note('calls of mark had nothing to mark')
      return () => {}
    }
  }

  /** Notes that this thread hands work to another, which will run under `marker`. */
  dispatch(marker: MarkerId): JobId {
    const job = this.#nextJob++
    this.#noteJob(job, JOB_DISPATCHED, marker)
    return job
  }

  /** Opens the span of a job that was dispatched, on whichever thread runs it. */
  beginJob(job: JobId, marker: MarkerId): void {
    this.#noteJob(job, JOB_BEGUN, marker)
    this.enter(marker)
  }

  /** Closes it. */
  endJob(job: JobId, marker: MarkerId): void {
    // Before the span is closed, since that may send what has gathered.
    this.#noteJob(job, JOB_ENDED, marker)
    this.leave()
  }

  #noteJob(job: JobId, event: number, marker: MarkerId): void {
    if (!this.on || this.jobNotes.length >= LIMITS.chunkJobs) return
    if (!isHandle(marker, this.markers.length) || !isHandle(job, 2 ** 32)) {
      this.problems.note('jobs had no number, or no marker that exists')
      return
    }
    this.jobNotes.push({ job, event, marker, atMs: performance.now() })
  }

  /** Too deep, or no room: the spare element takes the span, so that its leave finds a place. */
  #enterBeyond(depth: number): void {
    if (depth < DEEPEST) {
      this.#open[depth] = SPAN_CAPACITY
      this.overflowed = true
    } else {
      this.repaired++
    }
  }

  #leaveBeyond(depth: number): void {
    if (depth < 0) {
      this.depth = 0
      this.repaired++
    }
  }

  /** Closes what is still open, as of `nowMs`: a leave is missing somewhere. */
  protected closeOpenSpans(nowMs: number): void {
    while (this.depth > 0) {
      const depth = --this.depth
      this.repaired++
      if (depth < DEEPEST) {
        const at = this.#open[depth]!
        this.#duration[at] = nowMs - this.#start[at]!
        this.#effect[at] = EFFECT_UNSAID
        if (this.#heap !== null) this.#closeBytes(at, this.#heap())
      }
    }
  }

  /** Adds a span that the recorder itself spent. */
  protected addClosed(marker: MarkerId, startMs: number, durationMs: number): void {
    const at = this.count
    if (at >= SPAN_CAPACITY) return
    this.count = at + 1
    this.#marker[at] = marker
    this.#depth[at] = this.depth
    this.#start[at] = startMs
    this.#duration[at] = durationMs
    this.#effect[at] = EFFECT_UNSAID
    this.#key[at] = NO_KEY
    if (this.#heap !== null) this.#bytes[at] = 0
  }

  /** Whether a run of `marker` among the spans from index `from` on lasted `ns` or longer. */
  protected lasted(marker: MarkerId, ns: number, from: number): boolean {
    for (let i = from; i < this.count; i++) {
      if (this.#marker[i] === marker && this.#duration[i]! >= ns) return true
    }
    return false
  }

  /** Markers and durations of the spans from that index on, as views. */
  protected spansSince(from: number): [Uint16Array, Float64Array] {
    return [this.#marker.subarray(from, this.count), this.#duration.subarray(from, this.count)]
  }

  /** Forgets the spans from index `to` on. */
  protected truncate(to: number): void {
    this.count = to
    this.overflowed = false
  }

  /**
   * Turns the times of the spans from index `from` on into whole ns since `originMs`. Done frame by frame,
   * so that a hand-over has nothing left to do but copy.
   */
  protected convertTimes(from: number, originMs: number): void {
    const starts = this.#start
    const durations = this.#duration
    for (let i = from; i < this.count; i++) {
      starts[i] = toNs(starts[i]! - originMs)
      durations[i] = toNs(durations[i]!)
    }
  }

  /** Copies of the columns, whose times have all been converted. */
  protected copySpans(): SpanBlock {
    const total = this.count
    return {
      marker: new Uint32Array(this.#marker.subarray(0, total)),
      startNs: this.#start.slice(0, total),
      durationNs: this.#duration.slice(0, total),
      depth: this.#depth.slice(0, total),
      effect: this.#effect.slice(0, total),
      bytes: this.#heap === null ? undefined : this.#bytes.slice(0, total),
      key: this.#key.slice(0, total),
    }
  }
}

/** ms to whole ns; a clock that steps back gives 0 rather than a negative time. */
export const toNs = (ms: number): number => (ms > 0 ? Math.floor(ms * 1e6 + 0.5) : 0)
