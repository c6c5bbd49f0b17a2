/** How a worker's spans reach the probe that writes the take: over a channel named after the game. */
import { TAKEN_UNKNOWN, type RecordingMode } from '@lapsus/core/format'
import { calibrateHeapReads } from './calibrate.ts'
import type { Collection, CollectionWatcher, MemoryAccess } from './heap.ts'
import { safely, shortName } from './given.ts'
import type { MachineAccess } from './machine.ts'
import { SpanRecorder, toNs, type DeclaredMarker, type JobNote, type SpanBlock } from './span-recorder.ts'

/** Spans of a worker lane, with the markers declared so far; starts are ns since `timeOriginMs`. */
export interface LaneBatch {
  /** Tells two lanes of the same name apart. */
  laneId: string
  lane: string
  /** The thread's performance.timeOrigin: what aligns its clock with the main thread's. */
  timeOriginMs: number
  markers: DeclaredMarker[]
  spans: SpanBlock
  jobs: JobNote[]
  collections: Collection[]
  repaired: number
  /** What the system took from the thread since its batch before, ns; TAKEN_UNKNOWN where it does not tell. */
  takenNs: number
  /** When that was read, ns as starts are. */
  readNs: number
  /** How many spans the lane has recorded in all, counted as it goes on; null where memory cannot be shared. */
  recorded: Int32Array | null
}

/** Takes what lies in a channel at once, without the thread's giving itself away; null for no more. */
export type TakeNow = (channel: object) => { message: unknown } | undefined

/** In Node the channel reaches the threads of this process; in a browser, those of this origin. */
const channelName = (game: string) => `lapsus lanes of ${game}`

/** What a lane has recorded, and what of it has come. */
interface Arrival {
  name: string
  recorded: Int32Array | null
  came: number
}

/** Listens for lanes of a game. */
export class LaneReceiver {
  readonly #channel: BroadcastChannel | null
  readonly #takeNow: TakeNow | null
  readonly #onBatch: (batch: LaneBatch) => void
  readonly #lanes = new Map<string, Arrival>()

  /** @param takeNow null where messages come only when the thread gives itself away */
  constructor(game: string, takeNow: TakeNow | null, onBatch: (batch: LaneBatch) => void) {
    this.#takeNow = takeNow
    this.#onBatch = onBatch
    // Old browsers have none: then there is but one lane.
    this.#channel = safely(() => new BroadcastChannel(channelName(game)), null)
    if (this.#channel === null) return
    this.#channel.onmessage = (event: MessageEvent | { data: unknown }) => this.#receive(event.data)
    // In Node an open channel would keep the process alive.
    ;(this.#channel as { unref?: () => void }).unref?.()
  }

  /** Whether there are lanes whose last words may still be under way. */
  get mayLack(): boolean {
    return this.#takeNow === null && this.#lanes.size > 0
  }

  /** Takes what lies there, where that can be done at once. */
  takeAll(): void {
    if (this.#channel === null || this.#takeNow === null) return
    for (let next = this.#next(); next !== undefined; next = this.#next()) this.#receive(next.message)
  }

  /** Of each lane that did not hand over all, how many spans are missing; null where nobody knows. */
  lacking(): { name: string; spans: number | null }[] {
    return [...this.#lanes.values()].flatMap(
      ({ name, recorded, came }): { name: string; spans: number | null }[] => {
        if (recorded === null) return this.#takeNow === null ? [{ name, spans: null }] : []
        const spans = Atomics.load(recorded, 0) - came
        return spans > 0 ? [{ name, spans }] : []
      },
    )
  }

  stop(): void {
    this.#channel?.close()
  }

  #next(): { message: unknown } | undefined {
    return safely(() => this.#takeNow!(this.#channel!), undefined)
  }

  /** Anybody of this origin may speak on it: what is no batch is not heeded. */
  #receive(data: unknown): void {
    safely(() => {
      const batch = data as LaneBatch
      const { laneId, lane, spans, jobs, collections, recorded } = batch
      const known = this.#lanes.get(laneId) ?? { name: lane, recorded: recorded ?? null, came: 0 }
      this.#lanes.set(laneId, known)
      known.came += spans.marker.length
      if (spans.marker.length + jobs.length + collections.length > 0) this.#onBatch(batch)
    }, undefined)
  }
}

/** A batch goes out when the outermost span closes, but no more often than this. */
const SHORTEST_GAP_MS = 2

/** Numbers of jobs that worker lanes dispatch: apart from the main lane's, and hardly ever twice. */
const firstJobOfLane = () => 0x8000_0000 + Math.floor(Math.random() * 0x7fff) * 0x1_0000

/** Records spans on a worker thread and hands them to the main thread's probe of the same game. */
export class LaneProbe extends SpanRecorder {
  readonly #channel: BroadcastChannel | null
  readonly #id = `${Date.now()}-${Math.random()}`
  readonly #name: string
  readonly #watcher: CollectionWatcher | null
  readonly #machine: MachineAccess | null
  /** Whoever receives the lane reads there whether all of it has come. */
  readonly #recorded = safely(() => new Int32Array(new SharedArrayBuffer(4)), null)
  #posted = 0
  #lastPostMs = -Infinity

  constructor(
    game: string,
    name: string,
    markers: readonly DeclaredMarker[],
    memory: MemoryAccess,
    mode: RecordingMode,
    machine: MachineAccess | null,
  ) {
    const heap = mode === 'bytes' ? memory.heap : null
    super(heap, firstJobOfLane())
    this.#channel = safely(() => new BroadcastChannel(channelName(game)), null)
    ;(this.#channel as { unref?: () => void } | null)?.unref?.()
    this.#name = name
    for (const { name: marker, at, line, ...options } of markers)
      this.declare(marker, options, null, { at, line })
    if (heap !== null) this.heapReadBytes = calibrateHeapReads(heap).bytes
    this.#machine = machine
    machine?.takenNs()
    this.#watcher = safely(() => memory.watchCollections?.() ?? null, null)
    this.#send(0, TAKEN_UNKNOWN, [])
    this.on = true
  }

  override leave(changed?: boolean): void {
    super.leave(changed)
    if (this.depth > 0) return
    if (this.#recorded !== null) this.#recorded[0] = this.#posted + this.count
    if (performance.now() - this.#lastPostMs >= SHORTEST_GAP_MS) this.#post()
  }

  close(): void {
    if (!this.on) return
    this.closeOpenSpans(performance.now())
    this.#post()
    this.#watcher?.stop()
    safely(() => this.#channel?.close(), undefined)
    this.on = false
  }

  #post(): void {
    this.#lastPostMs = performance.now()
    if (this.overflowed) this.repaired++
    const collections = this.#watcher?.take() ?? []
    if (this.count > 0 || this.jobNotes.length > 0 || collections.length > 0) {
      const takenNs = this.#machine?.takenNs() ?? TAKEN_UNKNOWN
      this.convertTimes(0, 0)
      this.#send(toNs(this.#lastPostMs), takenNs, collections)
    }
    this.#posted += this.count
    this.jobNotes = []
    this.repaired = 0
    this.truncate(0)
  }

  #send(readNs: number, takenNs: number, collections: Collection[]): void {
    const batch: LaneBatch = {
      laneId: this.#id,
      lane: this.#name,
      timeOriginMs: performance.timeOrigin,
      markers: this.markers,
      spans: this.copySpans(),
      jobs: this.jobNotes,
      collections,
      repaired: this.repaired,
      takenNs,
      readNs,
      recorded: this.#recorded,
    }
    // Closed already, or refused: the game goes on. Where memory cannot be shared it is not.
    const isSent = safely(() => (this.#channel?.postMessage(batch), true), false)
    if (!isSent) safely(() => this.#channel?.postMessage({ ...batch, recorded: null }), undefined)
  }
}

/** A recorder of times only. @param machine of this thread; null where nothing is told of it */
export const laneOf = (game: string, name: string, machine: MachineAccess | null): LaneProbe =>
  new LaneProbe(
    shortName(game),
    shortName(name),
    [],
    { heap: null, watchCollections: null },
    'timing',
    machine,
  )
