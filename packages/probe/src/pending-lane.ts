import { LIMITS, type LaneSpans } from '@lapsus/core/format'
import type { SpanBlock } from './span-recorder.ts'

const COLUMNS = ['marker', 'startNs', 'durationNs', 'depth', 'effect', 'bytes', 'key'] as const

/** Spans of a worker lane that wait for their chunk; starts already in the take's time. */
export class PendingLane {
  readonly id: number
  readonly name: string
  #batches: SpanBlock[] = []
  /** Spans in them. */
  #waiting = 0

  constructor(id: number, name: string) {
    this.id = id
    this.name = name
  }

  /** @returns spans that had to be left out: nothing has taken them, and memory is the game's */
  add(spans: SpanBlock): number {
    this.#batches.push(spans)
    this.#waiting += spans.marker.length
    let leftOut = 0
    while (this.#waiting - leftOut > LIMITS.chunkSpans) leftOut += this.#batches.shift()!.marker.length
    this.#waiting -= leftOut
    return leftOut
  }

  /**
   * The spans that began before `untilNs`, each tree of them in the frame it began in. One that began
   * before the chunk came too late for its own frame and goes into the chunk's first.
   * @param most spans that there is room for; batches that do not fit wait for the next chunk
   */
  take(frameStartNs: Float64Array, untilNs: number, most = Infinity): LaneSpans {
    const taken: SpanBlock[] = []
    const left: SpanBlock[] = []
    let room = most
    for (const batch of this.#batches) {
      const due = left.length > 0 ? 0 : firstRootFrom(batch, untilNs)
      const split = due > room ? 0 : due
      room -= split
      if (split > 0) taken.push(sliceOf(batch, 0, split))
      if (split < batch.marker.length) left.push(sliceOf(batch, split))
    }
    this.#batches = left
    this.#waiting = left.reduce((sum, batch) => sum + batch.marker.length, 0)
    return this.#join(taken, frameStartNs)
  }

  #join(blocks: SpanBlock[], frameStartNs: Float64Array): LaneSpans {
    const total = blocks.reduce((sum, block) => sum + block.marker.length, 0)
    const lane: LaneSpans = {
      lane: this.id,
      count: new Uint32Array(frameStartNs.length),
      marker: new Uint32Array(total),
      startNs: new Float64Array(total),
      durationNs: new Float64Array(total),
      depth: new Uint8Array(total),
      effect: new Uint8Array(total),
      bytes: blocks.some(({ bytes }) => bytes) ? new Float64Array(total) : undefined,
      key: new Uint32Array(total),
    }
    let at = 0
    let frame = 0
    for (const block of blocks) {
      for (const column of COLUMNS) if (block[column]) lane[column]?.set(block[column], at)
      for (const end = at + block.marker.length; at < end; at++) {
        if (lane.depth[at] === 0) {
          while (frame + 1 < frameStartNs.length && frameStartNs[frame + 1]! <= lane.startNs[at]!) frame++
        }
        lane.count[frame]!++
      }
    }
    return lane
  }
}

/** Index of the first outermost span that begins at `ns` or later. */
function firstRootFrom({ depth, startNs }: SpanBlock, ns: number): number {
  for (let i = 0; i < depth.length; i++) if (depth[i] === 0 && startNs[i]! >= ns) return i
  return depth.length
}

function sliceOf(block: SpanBlock, from: number, to?: number): SpanBlock {
  return {
    marker: block.marker.subarray(from, to),
    startNs: block.startNs.subarray(from, to),
    durationNs: block.durationNs.subarray(from, to),
    depth: block.depth.subarray(from, to),
    effect: block.effect?.subarray(from, to),
    bytes: block.bytes?.subarray(from, to),
    key: block.key?.subarray(from, to),
  }
}
