/** What is known of every frame without looking at its spans. */

import { percentileSorted } from '../stats/index.ts'
import { WAIT_REASONS, type FrameColumns, type WaitReason } from './frame-columns.ts'

export const NS_PER_MS = 1e6
/** The frame that was running at a time: the last that began by then, or the first. Costs log(frames). */
export function frameAt(frameStartNs: Float64Array, atNs: number): number {
  let low = 0
  let high = frameStartNs.length
  while (low < high) {
    const middle = (low + high) >> 1
    if (frameStartNs[middle]! <= atNs) low = middle + 1
    else high = middle
  }
  return Math.max(0, low - 1)
}

/** A late frame missed its refresh: it took longer than the budget by more than this factor. */
export const LATE_FACTOR = 1.05

/**
 * - `over`: its own work exceeds the budget, whether late or not
 * - `held`: late although its work fits, because it waited
 * - `good`: neither
 */
export type FrameClass = 'good' | 'over' | 'held'

export const isOver = (workNs: number, budgetNs: number) => workNs > budgetNs
export const isLate = (durationNs: number, budgetNs: number) => durationNs > budgetNs * LATE_FACTOR

export function classOf(frames: FrameColumns, frame: number, budgetNs: number): FrameClass {
  if (isOver(frames.workNs[frame]!, budgetNs)) return 'over'
  return isLate(frames.durationNs[frame]!, budgetNs) ? 'held' : 'good'
}

/** The longest wait of a frame, or null if it did not wait. */
export function longestWait(frames: FrameColumns, frame: number): WaitReason | null {
  let longest: WaitReason | null = null
  for (const reason of WAIT_REASONS) {
    if (frames.waitNs[reason][frame]! > (longest === null ? 0 : frames.waitNs[longest][frame]!))
      longest = reason
  }
  return longest
}

/** The headline of a take or a part of it. Times in ms; NaN where there are no frames. */
export interface FrameFigures {
  frames: number
  budgetMs: number
  work: { p50: number; p95: number; p99: number; p999: number; worst: number }
  over: number
  /** From 0 to 1; 0 where there are no frames. */
  overShare: number
  /** Sum of what the frames over budget exceed it by. */
  overTimeMs: number
  late: number
  held: number
  heldBy: Record<WaitReason, number>
}

/** @param from first frame, @param to frame after the last */
export function frameFigures(
  frames: FrameColumns,
  budgetMs: number,
  from = 0,
  to = frames.startNs.length,
): FrameFigures {
  const budgetNs = budgetMs * NS_PER_MS
  const work = frames.workNs.slice(from, to).sort()
  const at = (p: number) => percentileSorted(work, p) / NS_PER_MS
  const heldBy: Record<WaitReason, number> = { refresh: 0, graphics: 0, job: 0, io: 0 }
  let over = 0
  let late = 0
  let held = 0
  let overTimeNs = 0
  for (let frame = from; frame < to; frame++) {
    const frameClass = classOf(frames, frame, budgetNs)
    if (isLate(frames.durationNs[frame]!, budgetNs)) late++
    if (frameClass === 'over') {
      over++
      overTimeNs += frames.workNs[frame]! - budgetNs
    } else if (frameClass === 'held') {
      held++
      const reason = longestWait(frames, frame)
      if (reason !== null) heldBy[reason]++
    }
  }
  const count = to - from
  return {
    frames: count,
    budgetMs,
    work: { p50: at(0.5), p95: at(0.95), p99: at(0.99), p999: at(0.999), worst: at(1) },
    over,
    overShare: count === 0 ? 0 : over / count,
    overTimeMs: overTimeNs / NS_PER_MS,
    late,
    held,
    heldBy,
  }
}

/** A small picture of a take's frames: work in µs, worst and median of each of up to `width` columns. */
export interface Miniature {
  worstUs: Uint32Array
  medianUs: Uint32Array
}

export function miniature(frames: FrameColumns, width: number): Miniature {
  const count = frames.workNs.length
  const columns = Math.min(width, count)
  const picture = { worstUs: new Uint32Array(columns), medianUs: new Uint32Array(columns) }
  for (let i = 0; i < columns; i++) {
    const part = frames.workNs
      .slice(Math.floor((i * count) / columns), Math.floor(((i + 1) * count) / columns))
      .sort()
    picture.worstUs[i] = part[part.length - 1]! / 1000
    picture.medianUs[i] = percentileSorted(part, 0.5) / 1000
  }
  return picture
}
