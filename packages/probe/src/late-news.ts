/**
 * What becomes known of a chunk after its frames have ended: spans, jobs and collections of other threads,
 * and the main thread's own collections. Gathers it, and puts it into the chunk it belongs to.
 */
import { LIMITS, type JobEvents, type LaneSpans } from '@lapsus/core/format'
import { withCollections, type PlacedCollection } from './collections.ts'
import { isAmount } from './given.ts'
import type { Collection } from './heap.ts'
import type { LaneBatch } from './lane-link.ts'
import { PendingLane, type TakenOfLane } from './pending-lane.ts'
import { toNs, type DeclaredMarker, type JobNote, type MarkerId } from './span-recorder.ts'

export const MAIN_LANE = 0

export class LateNews {
  readonly #markerId: (marker: DeclaredMarker) => MarkerId
  readonly #collectionMarker: (kind: string) => MarkerId
  readonly #lanes = new Map<string, PendingLane>()
  #collections: (PlacedCollection & { lane: number })[] = []
  /** Spans that nothing took in time, since this was last set to 0. */
  leftOut = 0
  #jobs: { job: number; event: number; lane: number; marker: number; atNs: number }[] = []

  /**
   * @param markerId the take's handle for a marker of another thread
   * @param collectionMarker the take's handle for collections of a kind
   */
  constructor(markerId: (marker: DeclaredMarker) => MarkerId, collectionMarker: (kind: string) => MarkerId) {
    this.#markerId = markerId
    this.#collectionMarker = collectionMarker
  }

  /** In order of their ids. */
  get laneNames(): string[] {
    return ['main', ...[...this.#lanes.values()].map(({ name }) => name)]
  }

  /** @param shiftMs from the other thread's clock to the take's */
  receive(batch: LaneBatch, shiftMs: number): void {
    const lane = this.#laneOf(batch)
    if (lane === null) return
    const markerIds = batch.markers.map(this.#markerId)
    const { marker, startNs } = batch.spans
    for (let i = 0; i < marker.length; i++) {
      marker[i] = markerIds[marker[i]!]!
      startNs[i] = Math.max(0, Math.round(startNs[i]! + shiftMs * 1e6))
    }
    this.leftOut += lane.add(batch.spans)
    if (isAmount(batch.takenNs) && isAmount(batch.readNs))
      lane.addTaken(batch.readNs + shiftMs * 1e6, batch.takenNs)
    const jobs = batch.jobs.map((note) => ({ ...note, marker: markerIds[note.marker]! }))
    this.#add(jobs, batch.collections, lane.id, shiftMs)
  }

  /** The same of the main thread itself. */
  addOwn(jobs: JobNote[], collections: Collection[], shiftMs: number): void {
    this.#add(jobs, collections, MAIN_LANE, shiftMs)
  }

  /**
   * The lanes of a chunk, with what has become known of its time, up to `endNs`; and what the system took from their
   * threads, where it tells.
   */
  complete(
    main: LaneSpans,
    frameStartNs: Float64Array,
    endNs: number,
  ): { lanes: LaneSpans[]; jobs: JobEvents; taken: TakenOfLane[] } {
    // A collection before the first frame belongs to no frame.
    const due = this.#collections.filter(({ startNs }) => startNs > 0 && startNs < endNs)
    this.#collections = this.#collections.filter(({ startNs }) => startNs >= endNs)
    let room = LIMITS.chunkSpans - main.marker.length - due.length
    const workers = [...this.#lanes.values()].map((lane) => {
      const taken = lane.take(frameStartNs, endNs, room)
      room -= taken.marker.length
      return taken
    })
    const lanes = [main, ...workers].map((lane) => {
      const own = due.filter((collection) => collection.lane === lane.lane)
      const { effect, key, ...rest } = withCollections(lane, frameStartNs, own)
      // Columns that say nothing are not worth sending.
      return { ...rest, effect: saying(effect), key: saying(key) }
    })
    const taken = [...this.#lanes.values()].flatMap(
      (lane): TakenOfLane | [] => lane.takeTaken(frameStartNs, endNs) ?? [],
    )
    return { lanes, jobs: this.#takeJobs(), taken }
  }

  /** Two threads may give their lanes the same name: the second gets a number. */
  #laneOf({ laneId, lane: name }: LaneBatch): PendingLane | null {
    const known = this.#lanes.get(laneId)
    if (known !== undefined || this.#lanes.size + 1 >= LIMITS.lanes) return known ?? null
    const alike = [...this.#lanes.values()].filter((lane) => lane.name.startsWith(name)).length
    const lane = new PendingLane(this.#lanes.size + 1, alike === 0 ? name : `${name} (${alike + 1})`)
    this.#lanes.set(laneId, lane)
    return lane
  }

  #add(jobs: JobNote[], collections: Collection[], lane: number, shiftMs: number): void {
    for (const { atMs, ...note } of jobs) {
      if (this.#jobs.length < LIMITS.chunkJobs) this.#jobs.push({ ...note, lane, atNs: toNs(atMs + shiftMs) })
    }
    for (const { kind, startMs, durationMs } of collections) {
      const marker = this.#collectionMarker(kind)
      this.#collections.push({
        lane,
        marker,
        startNs: toNs(startMs + shiftMs),
        durationNs: toNs(durationMs),
      })
    }
  }

  #takeJobs(): JobEvents {
    const jobs = this.#jobs
    this.#jobs = []
    return {
      job: Uint32Array.from(jobs, (note) => note.job),
      event: Uint8Array.from(jobs, (note) => note.event),
      lane: Uint32Array.from(jobs, (note) => note.lane),
      marker: Uint32Array.from(jobs, (note) => note.marker),
      atNs: Float64Array.from(jobs, (note) => note.atNs),
    }
  }
}

const saying = <T extends Uint8Array | Uint32Array>(column: T | undefined): T | undefined =>
  column?.some((value) => value > 0) ? column : undefined
