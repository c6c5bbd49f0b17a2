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
  readonly #markers = new Map<string, number>()
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
    const sorted = [...spans].sort((a, b) => a.startNs - b.startNs || b.durationNs - a.durationNs)
    const inOrder = [...moments].sort((a, b) => a.atNs - b.atNs)
    let frame = 0
    let span = 0
    let moment = 0
    while (frame < frames.length) {
      const [firstFrame, firstSpan, firstMoment] = [frame, span, moment]
      do {
        const endNs = frames[++frame]?.startNs ?? Infinity
        while (span < sorted.length && sorted[span]!.startNs < endNs) span++
        while (moment < inOrder.length && inOrder[moment]!.atNs < endNs) moment++
      } while (frame < frames.length && frame - firstFrame < CHUNK_FRAMES && span - firstSpan < CHUNK_SPANS)
      const chunk = this.#chunk(
        frames.slice(firstFrame, frame),
        sorted.slice(firstSpan, span),
        inOrder.slice(firstMoment, moment),
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
    const nested: LaneSpans = {
      lane,
      count: new Uint32Array(frameStartNs.length),
      marker: Uint32Array.from(laid, ({ span }) => this.#markerId(span)),
      startNs: Float64Array.from(laid, ({ startNs }) => startNs),
      durationNs: Float64Array.from(laid, ({ startNs, endNs }) => endNs - startNs),
      depth: Uint8Array.from(laid, ({ depth }) => depth),
      effect: spans.some(({ effect }) => effect !== EFFECT_UNSAID)
        ? Uint8Array.from(laid, ({ span }) => span.effect)
        : undefined,
      bytes: spans.some(({ bytes }) => bytes !== BYTES_UNKNOWN)
        ? Float64Array.from(laid, ({ span }) => span.bytes)
        : undefined,
      key: spans.some(({ key = NO_KEY }) => key !== NO_KEY)
        ? Uint32Array.from(laid, ({ span: { key = NO_KEY } }) => key)
        : undefined,
    }
    // What claims to run in itself, over some way round, is left out.
    let repaired = spans.length - laid.length
    let frame = 0
    for (const { span, startNs, endNs, depth } of laid) {
      if (depth === 0) while (frame + 1 < frameStartNs.length && frameStartNs[frame + 1]! <= startNs) frame++
      nested.count[frame]!++
      const moved = Math.max(startNs - span.startNs, Math.abs(span.startNs + span.durationNs - endNs))
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

  #markerId({ name, group, kind }: Pick<LooseSpan, 'name' | 'group' | 'kind'>): number {
    const key = `${kind}\n${group}\n${name}`
    const known = this.#markers.get(key)
    if (known !== undefined) return known
    const id = this.#markers.size
    if (id >= LIMITS.markers - 1 && name !== FOLDED) {
      return this.#markerId({ name: FOLDED, group: '', kind: 'work' })
    }
    this.#markers.set(key, id)
    this.#fresh.markers.push({ id, name, group, kind, tags: [], watches: [] })
    return id
  }
}

/** A span in its place; times may have been cut to fit. */
interface Laid {
  span: LooseSpan
  startNs: number
  endNs: number
  depth: number
}

/** Which lies inside which, by time alone. One that outlasts what it began in is cut there. */
function nestByTime(spans: LooseSpan[]): Laid[] {
  const openEnds: number[] = []
  return spans.map((span) => {
    const { startNs, durationNs } = span
    while (openEnds.length > 0 && openEnds.at(-1)! <= startNs) openEnds.pop()
    const endNs = Math.min(startNs + durationNs, openEnds.at(-1) ?? Infinity)
    const depth = Math.min(openEnds.length, LIMITS.spanDepth)
    if (openEnds.length <= LIMITS.spanDepth) openEnds.push(endNs)
    return { span, startNs, endNs, depth }
  })
}

/** As the spans' parents say; brothers that overlap, and children that outlast, are cut. */
function nestByParent(spans: LooseSpan[]): Laid[] {
  const ids = new Set(spans.map(({ id }) => id))
  const children = new Map<string | undefined, LooseSpan[]>()
  for (const span of spans) {
    // A parent on another lane, or a frame, is no parent here.
    const parent =
      span.parent !== undefined && ids.has(span.parent) && span.parent !== span.id ? span.parent : undefined
    const brothers = children.get(parent)
    if (brothers === undefined) children.set(parent, [span])
    else brothers.push(span)
  }
  // On a clock of whole ms many begin together: what ended first came first.
  const endOf = ({ startNs, durationNs }: LooseSpan) => startNs + durationNs
  for (const brothers of children.values()) {
    brothers.sort((a, b) => a.startNs - b.startNs || endOf(a) - endOf(b))
  }
  const laid: Laid[] = []
  /** Still to be laid, the next one last; each with what it must keep within. */
  const open: { spans: LooseSpan[]; at: number; fromNs: number; untilNs: number }[] = [
    { spans: children.get(undefined) ?? [], at: 0, fromNs: 0, untilNs: Infinity },
  ]
  while (open.length > 0) {
    const level = open.at(-1)!
    const span = level.spans[level.at++]
    if (span === undefined) {
      open.pop()
      continue
    }
    const startNs = Math.min(Math.max(span.startNs, level.fromNs), level.untilNs)
    const endNs = Math.min(Math.max(span.startNs + span.durationNs, startNs), level.untilNs)
    level.fromNs = endNs
    laid.push({ span, startNs, endNs, depth: Math.min(open.length - 1, LIMITS.spanDepth) })
    const own = children.get(span.id)
    if (span.id !== undefined && own !== undefined) {
      children.delete(span.id)
      open.push({ spans: own, at: 0, fromNs: startNs, untilNs: endNs })
    }
  }
  return laid
}
