/** Paths that run every so many frames. */
import { median } from '../stats/index.ts'
import type { PathCourse } from '../study/index.ts'

export interface Period {
  /** Frames from one run to the next: the median. */
  frames: number
  /** Frame of a run, modulo the period: where in the period it falls most often. */
  phase: number
}

const LEAST_RUNS = 4
/** A gap may differ from the period by a frame, or by this share of it. */
const SLACK = 0.05
const REGULAR = 0.8

export const PERIOD_LIMITS = { LEAST_RUNS, SLACK, REGULAR }

/** Null when it does not run regularly. A path that runs in every frame has period 1. */
export function periodOf({ frame }: Pick<PathCourse, 'frame'>): Period | null {
  if (frame.length < LEAST_RUNS) return null
  const last = frame.at(-1)!
  if (last - frame[0]! === frame.length - 1) return { frames: 1, phase: 0 }
  const gaps = frame.subarray(1).map((at, i) => at - frame[i]!)
  const middle = median(gaps)
  const slack = Math.max(middle > 2 ? 1 : 0, SLACK * middle)
  const regular = gaps.reduce((sum, gap) => sum + (Math.abs(gap - middle) <= slack ? 1 : 0), 0)
  if (regular < REGULAR * gaps.length) return null
  const frames = Math.round(middle)
  const phases = new Map<number, number>()
  for (const at of frame) phases.set(at % frames, (phases.get(at % frames) ?? 0) + 1)
  const [phase] = [...phases].reduce((best, entry) => (entry[1] > best[1] ? entry : best))
  return { frames, phase }
}
