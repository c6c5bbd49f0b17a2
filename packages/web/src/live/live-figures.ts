/** What the live view says about the last seconds. Pure. */
import { frameFigures, type FrameColumns, type FrameFigures } from '@lapsus/core/take'

export interface LiveFigures extends FrameFigures {
  fps: number
  /** The worst frames by work, worst first. */
  worst: number[]
  collections: number
  collectMs: number
  /** Collections a minute, at the rate of these seconds. */
  collectionsAMinute: number
}

const MOST_WORST = 5

/** @param from first frame, @param to frame after the last */
export function liveFigures(frames: FrameColumns, budgetMs: number, from: number, to: number): LiveFigures {
  const { startNs, durationNs, workNs, collections, collectNs } = frames
  const seconds = to > from ? (startNs[to - 1]! + durationNs[to - 1]! - startNs[from]!) / 1e9 : 0
  const worst = Array.from({ length: Math.max(0, to - from) }, (_, i) => from + i)
    .sort((a, b) => workNs[b]! - workNs[a]!)
    .slice(0, MOST_WORST)
  let collected = 0
  let collectedNs = 0
  for (let frame = from; frame < to; frame++) {
    collected += collections[frame]!
    collectedNs += collectNs[frame]!
  }
  return {
    ...frameFigures(frames, budgetMs, from, to),
    fps: seconds > 0 ? (to - from) / seconds : 0,
    worst,
    collections: collected,
    collectMs: collectedNs / 1e6,
    collectionsAMinute: seconds > 0 ? (collected / seconds) * 60 : 0,
  }
}
