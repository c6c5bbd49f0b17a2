/** Work that comes in bursts, done piece by piece. */

export interface QueueCourse {
  /** Work done in each frame, ns. */
  served: Float64Array
  /** Work left at the end of each frame, ns. */
  backlog: Float64Array
  /** Frames from coming in to being done, for each frame in which work came in; −1 where it never is. */
  waits: { frame: number; frames: number }[]
}

/** What is left over by rounding is no work, ns. */
const NOTHING = 1e-6

/**
 * First in, first out; work may begin in the frame in which it comes in.
 * @param arrivals ns by frame
 * @param budgetNs most that is done in one frame
 * @param pieceNs what cannot be divided: at least one is done in a frame; 0 where anything can be
 */
export function runQueue(arrivals: Float64Array, budgetNs: number, pieceNs: number): QueueCourse {
  const perFrame = pieceNs > 0 ? Math.max(1, Math.floor(budgetNs / pieceNs + 1e-9)) * pieceNs : budgetNs
  const count = arrivals.length
  const course: QueueCourse = { served: new Float64Array(count), backlog: new Float64Array(count), waits: [] }
  const open: { frame: number; leftNs: number }[] = []
  let first = 0
  let backlog = 0
  for (let frame = 0; frame < count; frame++) {
    if (arrivals[frame]! > 0) open.push({ frame, leftNs: arrivals[frame]! })
    backlog += arrivals[frame]!
    let canNs = Math.min(perFrame, backlog)
    // What came in alone and fits is done as it was, to the last bit.
    course.served[frame] = canNs
    backlog = canNs === backlog ? 0 : backlog - canNs
    while (first < open.length && (canNs >= open[first]!.leftNs - NOTHING || backlog === 0)) {
      canNs -= open[first]!.leftNs
      course.waits.push({ frame: open[first]!.frame, frames: frame - open[first]!.frame })
      first++
    }
    if (first < open.length) open[first]!.leftNs -= Math.max(0, canNs)
    course.backlog[frame] = backlog
  }
  for (; first < open.length; first++) course.waits.push({ frame: open[first]!.frame, frames: -1 })
  return course
}
