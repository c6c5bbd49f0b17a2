import type { RecorderFigures } from '../format/index.ts'
import type { FrameColumns } from './frames.ts'

/** The recorder's estimated share of a frame, ns: what its main-lane spans cost. */
export const recorderShareNs = (frames: FrameColumns, frame: number, { spanNs }: RecorderFigures): number =>
  frames.mainSpans[frame]! * spanNs

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
 * Runs shorter than this are unreliable singly: below the clock's resolution, reliable only in sums.
 * A clock as fine as the cost of reading it is no limit.
 */
export const isUnreliable = (
  durationNs: number,
  { clockResolutionNs, clockReadNs }: RecorderFigures,
): boolean => clockResolutionNs > 10 * clockReadNs && durationNs < clockResolutionNs
