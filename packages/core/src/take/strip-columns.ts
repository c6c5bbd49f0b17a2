/** What the strip shows: many frames folded into few columns without averaging any spike away. */
import type { FrameColumns } from './frame-columns.ts'

/** One element a column; each column stands for one or more whole frames. */
export interface StripColumns {
  /** First frame of each column; one more element marks the end of the last. */
  firstFrame: Uint32Array
  /** The frame with the most work in each column. */
  worstFrame: Uint32Array
  /** Median work of each column's frames, ns. */
  medianWorkNs: Float64Array
}

/**
 * Folds the frames `from` to before `to` into at most `width` columns.
 * With fewer frames than columns, each frame gets one.
 */
export function stripColumns(frames: FrameColumns, from: number, to: number, width: number): StripColumns {
  const count = Math.max(0, to - from)
  const columns = Math.min(Math.max(1, Math.floor(width)), count)
  const strip: StripColumns = {
    firstFrame: new Uint32Array(columns + 1),
    worstFrame: new Uint32Array(columns),
    medianWorkNs: new Float64Array(columns),
  }
  const { workNs } = frames
  const scratch = new Float64Array(Math.ceil(count / Math.max(1, columns)) + 1)
  for (let column = 0; column < columns; column++) {
    const first = from + Math.floor((column * count) / columns)
    const end = from + Math.floor(((column + 1) * count) / columns)
    let worst = first
    for (let frame = first; frame < end; frame++) {
      scratch[frame - first] = workNs[frame]!
      if (workNs[frame]! > workNs[worst]!) worst = frame
    }
    const sorted = scratch.subarray(0, end - first).sort()
    const middle = (sorted.length - 1) / 2
    strip.firstFrame[column] = first
    strip.worstFrame[column] = worst
    strip.medianWorkNs[column] = (sorted[Math.floor(middle)]! + sorted[Math.ceil(middle)]!) / 2
  }
  strip.firstFrame[columns] = to
  return strip
}

/** The next frame after `frame` (before it, if `step` is −1) whose work exceeds the budget; null if none. */
export function nextOver(frames: FrameColumns, frame: number, step: 1 | -1, budgetNs: number): number | null {
  const { workNs } = frames
  for (let at = frame + step; at >= 0 && at < workNs.length; at += step) if (workNs[at]! > budgetNs) return at
  return null
}

/** The frame with the most work from `from` to before `to`. */
export function worstFrame(frames: FrameColumns, from: number, to: number): number {
  let worst = from
  for (let frame = from; frame < to; frame++) if (frames.workNs[frame]! > frames.workNs[worst]!) worst = frame
  return worst
}
