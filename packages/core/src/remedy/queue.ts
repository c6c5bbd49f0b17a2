/** Work that comes in bursts, done piece by piece. */

export interface QueueCourse {
  /** Work done in each frame, ns. */
  served: Float64Array
  /** Work left at the end of each frame, ns on the usual machine. */
  backlog: Float64Array
  /** Frames from coming in to being done, for each frame in which work came in; −1 where it never is. */
  waits: { frame: number; frames: number }[]
}

/** What is left over by rounding is no work, ns. */
const NOTHING = 1e-6

/**
 * First in, first out; work may begin in the frame in which it comes in. What is done in a frame costs what the machine
 * makes it cost there.
 * @param arrivals ns by frame
 * @param budgetNs most that is done in one frame
 * @param pieceNs what cannot be divided: at least one is done in a frame; 0 where anything can be
 * @param slowness how many times as long as usual code takes, by frame
 */
export function runQueue(
  arrivals: Float64Array,
  budgetNs: number,
  pieceNs: number,
  slowness: ArrayLike<number> | null = null,
): QueueCourse {
  const slowAt = (frame: number): number => slowness?.[frame] ?? 1
  // Inside, work is told as it costs on the usual machine.
  const mostAt = (frame: number): number => {
    const budget = budgetNs / slowAt(frame)
    return pieceNs > 0 ? Math.max(1, Math.floor(budget / pieceNs + 1e-9)) * pieceNs : budget
  }
  const count = arrivals.length
  const course: QueueCourse = { served: new Float64Array(count), backlog: new Float64Array(count), waits: [] }
  const open: { frame: number; leftNs: number }[] = []
  let first = 0
  let backlog = 0
  for (let frame = 0; frame < count; frame++) {
    const cameNs = arrivals[frame]! / slowAt(frame)
    if (cameNs > 0) open.push({ frame, leftNs: cameNs })
    backlog += cameNs
    let canNs = Math.min(mostAt(frame), backlog)
    // What came in alone and fits is done as it was, to the last bit.
    course.served[frame] = canNs === cameNs ? arrivals[frame]! : canNs * slowAt(frame)
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
