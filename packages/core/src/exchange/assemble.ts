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
  type Place,
} from '../format/index.ts'

/** Times in ns since the take's start. */
export interface LooseFrame {
  startNs: number
  durationNs: number
}

export interface LooseSpan {
  lane: string
  name: string
  group: string
  kind: MarkerKind
  startNs: number
  durationNs: number
  effect: number
  /** BYTES_UNKNOWN where not said. */
  bytes: number
  /** NO_KEY, or left out, where it has none. */
  key?: number
  /** Where in the code, if that is said; the first of a marker's spans tells. */
  at?: Place | null
  /** Its name and that of the span it ran in, where the format gives them; or else times tell. */
  id?: string | undefined
  parent?: string | undefined
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
  chunks(frames: LooseFrame[], spans: LooseSpan[], moments: Moment[]): FollowingRecord[] {
    const records: FollowingRecord[] = []
    const sorted = inOrder(spans, (a, b) => a.startNs - b.startNs || b.durationNs - a.durationNs)
    const ordered = inOrder(moments, (a, b) => a.atNs - b.atNs)
    let frame = 0
    let span = 0
    let moment = 0
    while (frame < frames.length) {
      const [firstFrame, firstSpan, firstMoment] = [frame, span, moment]
      do {
        const endNs = frames[++frame]?.startNs ?? Infinity
        while (span < sorted.length && sorted[span]!.startNs < endNs) span++
        while (moment < ordered.length && ordered[moment]!.atNs < endNs) moment++
      } while (frame < frames.length && frame - firstFrame < CHUNK_FRAMES && span - firstSpan < CHUNK_SPANS)
      const chunk = this.#chunk(
        frames.slice(firstFrame, frame),
        sorted.slice(firstSpan, span),
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

  #chunk(frames: LooseFrame[], spans: LooseSpan[], moments: Moment[]): ChunkRecord {
    const byLane = new Map<number, LooseSpan[]>()
    // A single frame may have more than a chunk can hold.
    for (const span of spans.slice(0, LIMITS.chunkSpans)) {
      const lane = this.#laneId(span.lane)
      if (!byLane.has(lane)) byLane.set(lane, [])
      byLane.get(lane)!.push(span)
    }
    const chunk: ChunkRecord = {
      ...emptyChunk(0),
      frameStartNs: Float64Array.from(frames, (frame) => frame.startNs),
      frameDurationNs: Float64Array.from(frames, (frame) => frame.durationNs),
      ...newColumns(FRAME_COLUMNS, frames.length),
      moments: moments.slice(0, LIMITS.chunkMoments),
      repaired: Math.max(0, spans.length - LIMITS.chunkSpans),
    }
    for (const [lane, own] of byLane) {
      const { spans: nested, repaired } = this.#nest(lane, own, chunk.frameStartNs)
      chunk.lanes.push(nested)
      chunk.repaired += repaired
    }
    checkSums(chunk.lanes)
    return chunk
  }

  /** Spans of one lane, sorted by start: laid out in order, with what ran in each behind it. */
  #nest(
    lane: number,
    spans: LooseSpan[],
    frameStartNs: Float64Array,
  ): { spans: LaneSpans; repaired: number } {
    const laid = spans.some(({ parent }) => parent !== undefined) ? nestByParent(spans) : nestByTime(spans)
    const size = laid.order.length
    const startNs = laid.startNs.subarray(0, size)
    const nested: LaneSpans = {
      lane,
      count: new Uint32Array(frameStartNs.length),
      marker: new Uint32Array(size),
      startNs,
      durationNs: new Float64Array(size),
      depth: laid.depth.subarray(0, size),
      effect: spans.some(({ effect }) => effect !== EFFECT_UNSAID) ? new Uint8Array(size) : undefined,
      bytes: spans.some(({ bytes }) => bytes !== BYTES_UNKNOWN) ? new Float64Array(size) : undefined,
      key: spans.some(({ key = NO_KEY }) => key !== NO_KEY) ? new Uint32Array(size) : undefined,
    }
    // What claims to run in itself, over some way round, is left out.
    let repaired = spans.length - size
    let frame = 0
    for (let i = 0; i < size; i++) {
      const span = laid.order[i]!
      const [start, end, depth] = [startNs[i]!, laid.endNs[i]!, nested.depth[i]!]
      nested.marker[i] = this.#markerId(span)
      nested.durationNs[i] = end - start
      if (nested.effect !== undefined) nested.effect[i] = span.effect
      if (nested.bytes !== undefined) nested.bytes[i] = span.bytes
      if (nested.key !== undefined) nested.key[i] = span.key ?? NO_KEY
      if (depth === 0) while (frame + 1 < frameStartNs.length && frameStartNs[frame + 1]! <= start) frame++
      nested.count[frame]!++
      const moved = Math.max(start - span.startNs, Math.abs(span.startNs + span.durationNs - end))
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

  #markerId({ name, group, kind, at = null }: Pick<LooseSpan, 'name' | 'group' | 'kind' | 'at'>): number {
    const names = inside(inside(this.#markers, kind), group)
    const known = names.get(name)
    if (known !== undefined) return known
    const id = this.#markerCount
    if (id >= LIMITS.markers - 1 && name !== FOLDED) {
      return this.#markerId({ name: FOLDED, group: '', kind: 'work' })
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

/** Spans in their places, by place; times may have been cut to fit. Columns may be longer than there are spans. */
interface Laid {
  order: LooseSpan[]
  startNs: Float64Array
  endNs: Float64Array
  depth: Uint8Array
}

const noneLaid = (order: LooseSpan[], most: number): Laid => ({
  order,
  startNs: new Float64Array(most),
  endNs: new Float64Array(most),
  depth: new Uint8Array(most),
})

/** Which lies inside which, by time alone. One that outlasts what it began in is cut there. */
function nestByTime(spans: LooseSpan[]): Laid {
  const laid = noneLaid(spans, spans.length)
  const openEnds: number[] = []
  for (let i = 0; i < spans.length; i++) {
    const { startNs, durationNs } = spans[i]!
    while (openEnds.length > 0 && openEnds.at(-1)! <= startNs) openEnds.pop()
    laid.startNs[i] = startNs
    laid.endNs[i] = Math.min(startNs + durationNs, openEnds.at(-1) ?? Infinity)
    laid.depth[i] = Math.min(openEnds.length, LIMITS.spanDepth)
    if (openEnds.length <= LIMITS.spanDepth) openEnds.push(laid.endNs[i]!)
  }
  return laid
}

/** As the spans' parents say; brothers that overlap, and children that outlast, are cut. @param spans sorted by start */
function nestByParent(spans: LooseSpan[]): Laid {
  const family = familyOf(spans)
  const laid = noneLaid([], spans.length)
  /** Of each span that is open: its next child, and what that must keep within. The first is around all. */
  const next = [family.firstChild[spans.length]!]
  const fromNs = [0]
  const untilNs = [Infinity]
  let depth = 0
  while (depth >= 0) {
    const at = next[depth]!
    if (at === NOBODY) {
      depth--
      continue
    }
    const span = spans[at]!
    const startNs = Math.min(Math.max(span.startNs, fromNs[depth]!), untilNs[depth]!)
    const endNs = Math.min(Math.max(span.startNs + span.durationNs, startNs), untilNs[depth]!)
    next[depth] = family.nextBrother[at]!
    fromNs[depth] = endNs
    const place = laid.order.push(span) - 1
    laid.startNs[place] = startNs
    laid.endNs[place] = endNs
    laid.depth[place] = Math.min(depth, LIMITS.spanDepth)
    if (family.firstChild[at] === NOBODY) continue
    depth++
    next[depth] = family.firstChild[at]!
    fromNs[depth] = startNs
    untilNs[depth] = endNs
  }
  return laid
}

const NOBODY = -1

/** By index in the list of spans: the first child of each, and of nobody at the end; and the next of its parent's children. */
interface Family {
  firstChild: Int32Array
  nextBrother: Int32Array
}

function familyOf(spans: LooseSpan[]): Family {
  const nobody = spans.length
  const firstChild = new Int32Array(nobody + 1).fill(NOBODY)
  const lastChild = new Int32Array(nobody + 1).fill(NOBODY)
  const nextBrother = new Int32Array(nobody).fill(NOBODY)
  const byId = new Map<string, number>()
  for (let i = 0; i < nobody; i++) {
    const { id } = spans[i]!
    if (id !== undefined && !byId.has(id)) byId.set(id, i)
  }
  const endOf = (i: number) => spans[i]!.startNs + spans[i]!.durationNs
  const unordered = new Set<number>()
  for (let i = 0; i < nobody; i++) {
    const span = spans[i]!
    // A parent on another lane, or a frame, is no parent here.
    const parent =
      span.parent === undefined || span.parent === span.id ? nobody : (byId.get(span.parent) ?? nobody)
    const last = lastChild[parent]!
    if (last === NOBODY) firstChild[parent] = i
    else {
      nextBrother[last] = i
      if (spans[last]!.startNs === span.startNs && endOf(last) > endOf(i)) unordered.add(parent)
    }
    lastChild[parent] = i
  }
  // On a clock of whole ms many begin together: what ended first came first.
  for (const parent of unordered) {
    const brothers: number[] = []
    for (let i = firstChild[parent]!; i !== NOBODY; i = nextBrother[i]!) brothers.push(i)
    brothers.sort((a, b) => spans[a]!.startNs - spans[b]!.startNs || endOf(a) - endOf(b))
    firstChild[parent] = brothers[0]!
    brothers.forEach((one, i) => (nextBrother[one] = brothers[i + 1] ?? NOBODY))
  }
  return { firstChild, nextBrother }
}
