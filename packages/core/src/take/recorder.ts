import type { RecorderFigures } from '../format/index.ts'
import type { FrameColumns } from './frame-columns.ts'
import type { PathTable } from './paths.ts'

/** What of a span's cost shows as its own time, and what around it, ns. Where that was not measured: half each. */
export function recorderCost({ spanNs, insideNs = spanNs / 2 }: RecorderFigures): {
  insideNs: number
  outsideNs: number
} {
  return { insideNs: Math.min(insideNs, spanNs), outsideNs: Math.max(0, spanNs - insideNs) }
}

/** The recorder's estimated share of a frame, ns: what its main-lane spans cost, and what it does once a frame. */
export const recorderShareNs = (
  frames: FrameColumns,
  frame: number,
  { spanNs, frameNs = 0 }: RecorderFigures,
): number => frames.mainSpans[frame]! * spanNs + frameNs

/**
 * The frames as they would have been without the recorder: work less its share, at least 0. So is the
 * duration, but for frames that wait for a refresh: they would only have waited longer.
 */
export function framesWithoutRecorder(frames: FrameColumns, figures: RecorderFigures): FrameColumns {
  const less = (ns: number, frame: number) => Math.max(0, ns - recorderShareNs(frames, frame, figures))
  return {
    ...frames,
    workNs: frames.workNs.map(less),
    durationNs: frames.durationNs.map((ns, frame) =>
      frames.waitNs.refresh[frame]! > 0 ? ns : less(ns, frame),
    ),
  }
}

/**
 * The durations of one frame's spans less the recorder's share: of each its own inner part, and the whole
 * of what ran inside it. Never below 0.
 */
export function durationsWithoutRecorder(
  path: ArrayLike<number>,
  durationNs: Float64Array,
  { depthOf }: PathTable,
  figures: RecorderFigures,
): Float64Array {
  const { spanNs } = figures
  const { insideNs } = recorderCost(figures)
  const less = durationNs.map((ns) => ns - insideNs)
  const open: number[] = []
  for (let span = 0; span < durationNs.length; span++) {
    const depth = depthOf[path[span]!]!
    open[depth] = span
    for (let above = 0; above < depth; above++) less[open[above]!]! -= spanNs
  }
  return less.map((ns) => Math.max(0, ns))
}

/**
 * Runs shorter than this are unreliable singly: below the clock's resolution, reliable only in sums.
 * A clock as fine as the cost of reading it is no limit.
 */
export const isUnreliable = (
  durationNs: number,
  { clockResolutionNs, clockReadNs }: RecorderFigures,
): boolean => clockResolutionNs > 10 * clockReadNs && durationNs < clockResolutionNs
