import type { LaneSpans } from '@lapsus/core/format'
import type { LaneBatch } from './lane-link.ts'

/** Spans of a worker lane that wait for the next chunk; starts already in the take's time. */
export class PendingLane {
  readonly id: number
  #batches: LaneBatch['spans'][] = []
  #spans = 0

  constructor(id: number) {
    this.id = id
  }

  add(spans: LaneBatch['spans']): void {
    this.#batches.push(spans)
    this.#spans += spans.marker.length
  }

  /**
   * The waiting spans, each tree of them in the frame it began in. One that began before the chunk came
   * too late for its own frame and goes into the chunk's first.
   */
  take(frameStartNs: Float64Array): LaneSpans {
    const lane: LaneSpans = {
      lane: this.id,
      count: new Uint32Array(frameStartNs.length),
      marker: new Uint32Array(this.#spans),
      startNs: new Float64Array(this.#spans),
      durationNs: new Float64Array(this.#spans),
      depth: new Uint8Array(this.#spans),
    }
    let at = 0
    let frame = 0
    for (const batch of this.#batches) {
      lane.marker.set(batch.marker, at)
      lane.startNs.set(batch.startNs, at)
      lane.durationNs.set(batch.durationNs, at)
      lane.depth.set(batch.depth, at)
      for (const end = at + batch.marker.length; at < end; at++) {
        if (lane.depth[at] === 0) {
          while (frame + 1 < frameStartNs.length && frameStartNs[frame + 1]! <= lane.startNs[at]!) frame++
        }
        lane.count[frame]!++
      }
    }
    this.#batches = []
    this.#spans = 0
    return lane
  }
}
