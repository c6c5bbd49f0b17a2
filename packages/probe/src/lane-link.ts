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
}

/** In Node the channel reaches the threads of this process; in a browser, those of this origin. */
const channelName = (game: string) => `lapsus lanes of ${game}`

/** Listens for lanes of `game` until the returned function is called. */
export function receiveLanes(game: string, onBatch: (batch: LaneBatch) => void): () => void {
  // Old browsers have none: then there is but one lane.
  const channel = safely(() => new BroadcastChannel(channelName(game)), null)
  if (channel === null) return () => {}
  // Anybody of this origin may speak on it: what is no batch is not heeded.
  channel.onmessage = (event: MessageEvent | { data: unknown }) =>
    safely(() => onBatch(event.data as LaneBatch), undefined)
  // In Node an open channel would keep the process alive.
  ;(channel as { unref?: () => void }).unref?.()
  return () => channel.close()
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
    this.on = true
  }

  override leave(changed?: boolean): void {
    super.leave(changed)
    if (this.depth === 0 && performance.now() - this.#lastPostMs >= SHORTEST_GAP_MS) this.#post()
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
        readNs: toNs(this.#lastPostMs),
      }
      // Closed already, or refused: the game goes on.
      safely(() => this.#channel?.postMessage(batch), undefined)
    }
    this.jobNotes = []
    this.repaired = 0
    this.truncate(0)
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
