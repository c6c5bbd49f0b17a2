/** Puts collections, which become known only afterwards, among the spans of the lane they paused. */
import { BYTES_UNKNOWN, LIMITS, type LaneSpans } from '@lapsus/core/format'

/** Times in ns since the take's start. */
export interface PlacedCollection {
  marker: number
  startNs: number
  durationNs: number
}

interface Insertion extends PlacedCollection {
  /** Index of the span before which it goes. */
  at: number
  frame: number
  depth: number
}

/**
 * @param lane whose spans are in order of start
 * @param frameStartNs start of each frame of the chunk
 * @returns the lane with a span for each collection, inside the span that was open in its middle
 */
export function withCollections(
  lane: LaneSpans,
  frameStartNs: Float64Array,
  collections: PlacedCollection[],
): LaneSpans {
  if (collections.length === 0) return lane
  const frameEnds: number[] = []
  lane.count.reduce((sum, count) => (frameEnds.push(sum + count), sum + count), 0)
  const insertions = collections
    .map((collection) => insertionOf(collection, lane, frameStartNs, frameEnds))
    .sort((a, b) => a.at - b.at || a.startNs - b.startNs)
  return insert(lane, insertions)
}

function insertionOf(
  { marker, startNs, durationNs }: PlacedCollection,
  { startNs: starts, durationNs: durations, depth: depths }: LaneSpans,
  frameStartNs: Float64Array,
  frameEnds: number[],
): Insertion {
  const middleNs = startNs + durationNs / 2
  let frame = 0
  while (frame + 1 < frameStartNs.length && frameStartNs[frame + 1]! <= middleNs) frame++
  const first = frame === 0 ? 0 : frameEnds[frame - 1]!
  let at = first
  while (at < frameEnds[frame]! && starts[at]! <= middleNs) at++
  // Back through the spans that may still have been open, each further out than the one before.
  let outermost = Infinity
  for (let i = at - 1; i >= first && outermost > 0; i--) {
    if (depths[i]! >= outermost) continue
    outermost = depths[i]!
    const endNs = starts[i]! + durations[i]!
    if (endNs < middleNs) continue
    const from = Math.max(startNs, starts[i]!)
    return {
      marker,
      at,
      frame,
      depth: Math.min(outermost + 1, LIMITS.spanDepth),
      startNs: from,
      durationNs: Math.min(startNs + durationNs, endNs) - from,
    }
  }
  return { marker, at, frame, depth: 0, startNs, durationNs }
}

function insert(lane: LaneSpans, insertions: Insertion[]): LaneSpans {
  const total = lane.marker.length + insertions.length
  const count = lane.count.slice()
  for (const { frame } of insertions) count[frame]!++
  const merged: LaneSpans = {
    lane: lane.lane,
    count,
    marker: new Uint32Array(total),
    startNs: new Float64Array(total),
    durationNs: new Float64Array(total),
    depth: new Uint8Array(total),
    effect: lane.effect && new Uint8Array(total),
    bytes: lane.bytes && new Float64Array(total),
    key: lane.key && new Uint32Array(total),
  }
  let from = 0
  const copy = (to: number, shift: number) => {
    for (const column of ['marker', 'startNs', 'durationNs', 'depth', 'effect', 'bytes', 'key'] as const) {
      const source = lane[column]
      if (source !== undefined) merged[column]!.set(source.subarray(from, to), from + shift)
    }
    from = to
  }
  insertions.forEach(({ at, marker, startNs, durationNs, depth }, i) => {
    copy(at, i)
    merged.marker[at + i] = marker
    merged.startNs[at + i] = startNs
    merged.durationNs[at + i] = durationNs
    merged.depth[at + i] = depth
    if (merged.bytes !== undefined) merged.bytes[at + i] = BYTES_UNKNOWN
  })
  copy(lane.marker.length, insertions.length)
  return merged
}
