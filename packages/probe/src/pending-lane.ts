import { LIMITS, type LaneSpans } from '@lapsus/core/format'
import type { SpanBlock } from './span-recorder.ts'

const COLUMNS = ['marker', 'startNs', 'durationNs', 'depth', 'effect', 'bytes', 'key'] as const

/** What the system took from a lane's thread, ms, in the frames from which on it is another. */
export interface TakenOfLane {
  lane: string
  frame: Uint32Array
  value: Float64Array
}

/** Spans of a worker lane that wait for their chunk; starts already in the take's time. */
export class PendingLane {
  readonly id: number
  readonly name: string
  #batches: SpanBlock[] = []
  /** Spans in them. */
  #waiting = 0
  #taken: { atNs: number; ns: number }[] = []
  /** Whether the system tells what it takes from the thread. */
  #tells = false

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

  /** @param atNs when it was read, in the take's time */
  addTaken(atNs: number, ns: number): void {
    this.#tells = true
    this.#taken.push({ atNs, ns })
  }

  /** What was taken and read before `untilNs`, by frame; null where the system does not tell. */
  takeTaken(frameStartNs: Float64Array, untilNs: number): TakenOfLane | null {
    if (!this.#tells) return null
    const ms = new Float64Array(frameStartNs.length)
    let frame = 0
    for (const { atNs, ns } of this.#taken) {
      if (atNs >= untilNs) continue
      while (frame + 1 < frameStartNs.length && frameStartNs[frame + 1]! <= atNs) frame++
      ms[frame]! += ns / 1e6
    }
    this.#taken = this.#taken.filter(({ atNs }) => atNs >= untilNs)
    // A gauge holds until the next value.
    const changes = Uint32Array.from([...ms.keys()].filter((i) => i === 0 || ms[i] !== ms[i - 1]))
    return { lane: this.name, frame: changes, value: Float64Array.from(changes, (i) => ms[i]!) }
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
