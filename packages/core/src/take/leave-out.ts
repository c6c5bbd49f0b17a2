import type { ChunkRecord, LaneSpans } from '../format/index.ts'
import { NO_PATH, type PathTable } from './paths.ts'
import { detailsOf } from './spans.ts'

/**
 * The chunk without the spans whose chain of markers is not known yet, nor what ran inside them: for a take that
 * has as many chains as it may have. Their time stays with what they ran in. Counted as repaired.
 */
export function leaveOutNewPaths(chunk: ChunkRecord, paths: PathTable): ChunkRecord {
  let leftOut = 0
  const lanes = chunk.lanes.map((lane): LaneSpans => {
    const kept = knownSpans(lane, paths)
    leftOut += lane.marker.length - kept.index.length
    const pick = <T extends Uint8Array | Uint32Array | Float64Array>(column: T): T => {
      const picked = column.slice(0, kept.index.length) as T
      for (let i = 0; i < picked.length; i++) picked[i] = column[kept.index[i]!]!
      return picked
    }
    return {
      lane: lane.lane,
      count: kept.count,
      marker: pick(lane.marker),
      startNs: pick(lane.startNs),
      durationNs: pick(lane.durationNs),
      depth: pick(lane.depth),
      ...detailsOf(lane, pick),
    }
  })
  return { ...chunk, lanes, repaired: chunk.repaired + leftOut }
}

/** Indices of the spans that can stay, and how many of them each frame has. */
function knownSpans(lane: LaneSpans, paths: PathTable): { index: number[]; count: Uint32Array } {
  const index: number[] = []
  const count = new Uint32Array(lane.count.length)
  const parents = new Int32Array(257)
  for (let frame = 0, span = 0; frame < count.length; frame++) {
    /** Depth from which on everything is left out; Infinity while nothing is. */
    let outFrom = Infinity
    parents[0] = NO_PATH
    for (const end = span + lane.count[frame]!; span < end; span++) {
      const depth = lane.depth[span]!
      if (depth > outFrom) continue
      outFrom = Infinity
      const path = paths.find(parents[depth]!, lane.lane, lane.marker[span]!)
      if (path === undefined) {
        outFrom = depth
        continue
      }
      parents[depth + 1] = path
      index.push(span)
      count[frame]!++
    }
  }
  return { index, count }
}
