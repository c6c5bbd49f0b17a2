/**
 * Builds records from frames and spans that come without nesting, lanes or numbers: what the foreign
 * formats are turned into. Nesting is found from the times alone.
 */
import {
  BYTES_UNKNOWN,
  EFFECT_UNSAID,
  emptyChunk,
  LIMITS,
  type ChunkRecord,
  type DeclareRecord,
  type FollowingRecord,
  type LaneSpans,
  type MarkerKind,
  type Moment,
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
}

const MOST_FRAMES = 4_096
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
    let span = 0
    let moment = 0
    const inOrder = [...moments].sort((a, b) => a.atNs - b.atNs)
    for (let first = 0; first < frames.length; first += MOST_FRAMES) {
      const part = frames.slice(first, first + MOST_FRAMES)
      const endNs = frames[first + MOST_FRAMES]?.startNs ?? Infinity
      const own: LooseSpan[] = []
      for (; span < sorted.length && sorted[span]!.startNs < endNs; span++) own.push(sorted[span]!)
      const ownMoments: Moment[] = []
      for (; moment < inOrder.length && inOrder[moment]!.atNs < endNs; moment++) {
        ownMoments.push(inOrder[moment]!)
      }
      const chunk = this.#chunk(part, own, ownMoments.slice(0, LIMITS.chunkMoments))
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
    return { record: 'end', sequence: ++this.#sequence, dropped: 0 }
  }

  #chunk(frames: LooseFrame[], spans: LooseSpan[], moments: Moment[]): ChunkRecord {
    const byLane = new Map<number, LooseSpan[]>()
    for (const span of spans) {
      const lane = this.#laneId(span.lane)
      if (!byLane.has(lane)) byLane.set(lane, [])
      byLane.get(lane)!.push(span)
    }
    const chunk: ChunkRecord = {
      ...emptyChunk(0),
      frameStartNs: Float64Array.from(frames, (frame) => frame.startNs),
      frameDurationNs: Float64Array.from(frames, (frame) => frame.durationNs),
      steps: new Uint32Array(frames.length),
      moments,
    }
    for (const [lane, own] of byLane) {
      const { spans: nested, repaired } = this.#nest(lane, own, chunk.frameStartNs)
      chunk.lanes.push(nested)
      chunk.repaired += repaired
    }
    return chunk
  }

  /** Spans of one lane, sorted: which lies inside which. One that outlasts what it began in is cut there. */
  #nest(
    lane: number,
    spans: LooseSpan[],
    frameStartNs: Float64Array,
  ): { spans: LaneSpans; repaired: number } {
    const nested: LaneSpans = {
      lane,
      count: new Uint32Array(frameStartNs.length),
      marker: Uint32Array.from(spans, (span) => this.#markerId(span)),
      startNs: Float64Array.from(spans, (span) => span.startNs),
      durationNs: Float64Array.from(spans, (span) => span.durationNs),
      depth: new Uint8Array(spans.length),
      effect: spans.some(({ effect }) => effect !== EFFECT_UNSAID)
        ? Uint8Array.from(spans, (span) => span.effect)
        : undefined,
      bytes: spans.some(({ bytes }) => bytes !== BYTES_UNKNOWN)
        ? Float64Array.from(spans, (span) => span.bytes)
        : undefined,
    }
    let repaired = 0
    let frame = 0
    const openEnds: number[] = []
    spans.forEach(({ startNs, durationNs }, i) => {
      while (openEnds.length > 0 && openEnds.at(-1)! <= startNs) openEnds.pop()
      if (openEnds.length === 0) {
        while (frame + 1 < frameStartNs.length && frameStartNs[frame + 1]! <= startNs) frame++
      }
      const allowedEnd = openEnds.at(-1) ?? Infinity
      let endNs = startNs + durationNs
      if (endNs > allowedEnd) {
        endNs = allowedEnd
        nested.durationNs[i] = endNs - startNs
        repaired++
      }
      nested.depth[i] = Math.min(openEnds.length, LIMITS.spanDepth)
      if (openEnds.length <= LIMITS.spanDepth) openEnds.push(endNs)
      else repaired++
      nested.count[frame]!++
    })
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
