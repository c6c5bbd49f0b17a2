/**
 * Builds records from frames and spans that come without nesting, lanes or numbers: what the foreign
 * formats are turned into. Nesting is found from the spans' parents, or else from their times.
 */
import {
  endRecord,
  BYTES_UNKNOWN,
  checkSums,
  EFFECT_UNSAID,
  emptyChunk,
  FRAME_COLUMNS,
  LIMITS,
  newColumns,
  type ChunkRecord,
  type DeclareRecord,
  type FollowingRecord,
  type LaneSpans,
  type MarkerKind,
  type Moment,
  NO_KEY,
} from '../format/index.ts'
import type { LooseSpans, Manner } from './loose-spans.ts'
import { nestByParent, nestByTime } from './nest.ts'

/** Times in ns since the take's start. */
export interface LooseFrame {
  startNs: number
  durationNs: number
}

/** A chunk is closed once it has so many frames or spans. */
const CHUNK_FRAMES = 4_096
const CHUNK_SPANS = 65_536
/** Clocks of whole ms disagree with themselves by so much: no reason to speak of a repair. */
const JITTER_NS = 2_000_000
const FOLDED = '(more than a take may have)'

export class Assembler {
  #sequence = 0
  /** Numbers by kind, group and name. */
  readonly #markers = new Map<MarkerKind, Map<string, Map<string, number>>>()
  #markerCount = 0
  readonly #lanes = new Map<string, number>()
  #fresh: Pick<DeclareRecord, 'markers' | 'lanes'> = { markers: [], lanes: [] }

  /** @param mainLane name of the lane whose loop makes the frames */
  constructor(mainLane: string) {
    this.#laneId(mainLane)
  }

  /**
   * The records of some frames, in order of their start and later than those before, with the spans that
   * began during them and the moments of that time.
   */
  chunks(frames: LooseFrame[], spans: LooseSpans, moments: Moment[]): FollowingRecord[] {
    const records: FollowingRecord[] = []
    const numbers = numbersOf(spans)
    const rows = spans.inOrder()
    const ordered = inOrder(moments, (a, b) => a.atNs - b.atNs)
    let frame = 0
    let row = 0
    let moment = 0
    while (frame < frames.length) {
      const [firstFrame, firstRow, firstMoment] = [frame, row, moment]
      do {
        const endNs = frames[++frame]?.startNs ?? Infinity
        while (row < rows.length && spans.startNs[rows[row]!]! < endNs) row++
        while (moment < ordered.length && ordered[moment]!.atNs < endNs) moment++
      } while (frame < frames.length && frame - firstFrame < CHUNK_FRAMES && row - firstRow < CHUNK_SPANS)
      const chunk = this.#chunk(
        frames.slice(firstFrame, frame),
        numbers,
        rows.subarray(firstRow, row),
        ordered.slice(firstMoment, moment),
      )
      if (this.#fresh.markers.length > 0 || this.#fresh.lanes.length > 0) {
        records.push({
          record: 'declare',
          sequence: ++this.#sequence,
          ...this.#fresh,
          gauges: [],
          watches: [],
          classes: [],
        })
        this.#fresh = { markers: [], lanes: [] }
      }
      records.push({ ...chunk, sequence: ++this.#sequence })
    }
    return records
  }

  end(): FollowingRecord {
    return endRecord(++this.#sequence, 0)
  }

  #chunk(frames: LooseFrame[], numbers: Numbers, rows: Uint32Array, moments: Moment[]): ChunkRecord {
    // A single frame may have more than a chunk can hold.
    const byLane = this.#byLane(numbers, rows.subarray(0, LIMITS.chunkSpans))
    const chunk: ChunkRecord = {
      ...emptyChunk(0),
      frameStartNs: Float64Array.from(frames, (frame) => frame.startNs),
      frameDurationNs: Float64Array.from(frames, (frame) => frame.durationNs),
      ...newColumns(FRAME_COLUMNS, frames.length),
      moments: moments.slice(0, LIMITS.chunkMoments),
      repaired: Math.max(0, rows.length - LIMITS.chunkSpans),
    }
    for (const [lane, own] of byLane) {
      const { spans: nested, repaired } = this.#nest(lane, numbers, own, chunk.frameStartNs)
      chunk.lanes.push(nested)
      chunk.repaired += repaired
    }
    checkSums(chunk.lanes)
    return chunk
  }

  /** Rows of each lane, in the same order; lanes as they come. */
  #byLane({ spans, lanes }: Numbers, rows: Uint32Array): Map<number, Uint32Array> {
    const counts = new Uint32Array(LIMITS.lanes)
    const inOrder: number[] = []
    const laneOf = rows.map((row) => {
      const manner = spans.manner[row]!
      if (lanes[manner] === NOT_YET) lanes[manner] = this.#laneId(spans.manners[manner]!.lane)
      const lane = lanes[manner]!
      if (counts[lane]!++ === 0) inOrder.push(lane)
      return lane
    })
    if (inOrder.length === 1) return new Map([[inOrder[0]!, rows]])
    const byLane = new Map(inOrder.map((lane) => [lane, new Uint32Array(counts[lane]!)]))
    counts.fill(0)
    laneOf.forEach((lane, i) => (byLane.get(lane)![counts[lane]!++] = rows[i]!))
    return byLane
  }

  /** Spans of one lane, sorted by start: laid out in order, with what ran in each behind it. */
  #nest(
    lane: number,
    numbers: Numbers,
    rows: Uint32Array,
    frameStartNs: Float64Array,
  ): { spans: LaneSpans; repaired: number } {
    const { spans, markers } = numbers
    const said = saidBy(spans, rows)
    const laid = said.parents ? nestByParent(spans, rows) : nestByTime(spans, rows)
    const size = laid.count
    const startNs = laid.startNs.subarray(0, size)
    const nested: LaneSpans = {
      lane,
      count: new Uint32Array(frameStartNs.length),
      marker: new Uint32Array(size),
      startNs,
      durationNs: new Float64Array(size),
      depth: laid.depth.subarray(0, size),
      effect: said.effect ? new Uint8Array(size) : undefined,
      bytes: said.bytes ? new Float64Array(size) : undefined,
      key: said.key ? new Uint32Array(size) : undefined,
    }
    // What claims to run in itself, over some way round, is left out.
    let repaired = rows.length - size
    let frame = 0
    for (let i = 0; i < size; i++) {
      const row = laid.row[i]!
      const [start, end, depth] = [startNs[i]!, laid.endNs[i]!, nested.depth[i]!]
      const manner = spans.manner[row]!
      if (markers[manner] === NOT_YET) markers[manner] = this.#markerId(spans.manners[manner]!)
      nested.marker[i] = markers[manner]!
      nested.durationNs[i] = end - start
      if (nested.effect !== undefined) nested.effect[i] = spans.effect[row]!
      if (nested.bytes !== undefined) nested.bytes[i] = spans.bytes[row]!
      if (nested.key !== undefined) nested.key[i] = spans.key[row]!
      if (depth === 0) while (frame + 1 < frameStartNs.length && frameStartNs[frame + 1]! <= start) frame++
      nested.count[frame]!++
      const saidNs = spans.startNs[row]!
      const moved = Math.max(start - saidNs, Math.abs(saidNs + spans.durationNs[row]! - end))
      if (moved > JITTER_NS || depth === LIMITS.spanDepth) repaired++
    }
    return { spans: nested, repaired }
  }

  #laneId(name: string): number {
    const known = this.#lanes.get(name)
    if (known !== undefined) return known
    const id = this.#lanes.size
    if (id >= LIMITS.lanes - 1 && name !== FOLDED) return this.#laneId(FOLDED)
    this.#lanes.set(name, id)
    this.#fresh.lanes.push({ id, name })
    return id
  }

  #markerId({ name, group, kind, at }: Omit<Manner, 'lane'>): number {
    const names = inside(inside(this.#markers, kind), group)
    const known = names.get(name)
    if (known !== undefined) return known
    const id = this.#markerCount
    if (id >= LIMITS.markers - 1 && name !== FOLDED) {
      return this.#markerId({ name: FOLDED, group: '', kind: 'work', at: null })
    }
    this.#markerCount++
    names.set(name, id)
    this.#fresh.markers.push({ id, name, group, kind, tags: [], watches: [], at })
    return id
  }
}

/** The map at a key, made where there is none. */
function inside<K, L, V>(maps: Map<K, Map<L, V>>, key: K): Map<L, V> {
  let map = maps.get(key)
  if (map === undefined) maps.set(key, (map = new Map()))
  return map
}

/** Sorted; most files are. */
function inOrder<T>(items: T[], compare: (a: T, b: T) => number): T[] {
  for (let i = 1; i < items.length; i++)
    if (compare(items[i - 1]!, items[i]!) > 0) return [...items].sort(compare)
  return items
}

/** Whether any of the spans says such a thing. */
function saidBy(spans: LooseSpans, rows: Uint32Array) {
  const said = { parents: false, effect: false, bytes: false, key: false }
  for (let i = 0; i < rows.length; i++) {
    const row = rows[i]!
    if ((spans.parentHigh[row]! | spans.parentLow[row]!) !== 0) said.parents = true
    if (spans.effect[row] !== EFFECT_UNSAID) said.effect = true
    if (spans.bytes[row] !== BYTES_UNKNOWN) said.bytes = true
    if (spans.key[row] !== NO_KEY) said.key = true
  }
  return said
}

const NOT_YET = -1

/** Spans with the numbers in the take of lane and marker, by manner. */
interface Numbers {
  readonly spans: LooseSpans
  readonly lanes: Int32Array
  readonly markers: Int32Array
}

const numbersOf = (spans: LooseSpans): Numbers => ({
  spans,
  lanes: new Int32Array(spans.manners.length).fill(NOT_YET),
  markers: new Int32Array(spans.manners.length).fill(NOT_YET),
})
