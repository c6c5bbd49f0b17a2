/** Which frames of a take tell of a path, and which frame of another take is like one of this. */
import { percentile } from '../stats/index.ts'
import { frameCount, type Study } from '../study/index.ts'

/** A path that runs in more than this share of the frames tells by those in which it takes most. */
const RARE_SHARE = 0.5
const MOST_SHARE = 0.95

/** Frames in which a path ran, ascending; of one that runs nearly always those in which it took most. */
export function tellingFrames(study: Study, path: number): Uint32Array {
  const course = study.courses.get(path)
  if (course === undefined) return new Uint32Array()
  const { frame, selfNs } = course
  if (frame.length <= RARE_SHARE * frameCount(study)) return frame.slice()
  const least = percentile(selfNs, MOST_SHARE)
  return frame.filter((_, cell) => selfNs[cell]! >= least && selfNs[cell]! > 0)
}

/**
 * The frame of `other` that is like `frame` of `one`: the same one of the same run; else the one as long after the same moment;
 * else the one that is as heavy among its own.
 * @returns −1 where there is no frame
 */
export function counterpartOf(one: Study, other: Study, frame: number, isSameRun: boolean): number {
  const last = frameCount(other) - 1
  if (last < 0) return -1
  if (isSameRun) return Math.min(frame, last)
  return afterSameMoment(one, other, frame) ?? asHeavy(one, other, frame)
}

/** Moments are the same where they have the same name and come in the same turn. */
function afterSameMoment(one: Study, other: Study, frame: number): number | null {
  const before = one.moments.filter((moment) => moment.frame <= frame)
  const last = before.at(-1)
  if (last === undefined) return null
  const turn = before.filter(({ name }) => name === last.name).length - 1
  const there = other.moments.filter(({ name }) => name === last.name)[turn]
  const at = there === undefined ? -1 : there.frame + (frame - last.frame)
  return at < 0 || at >= frameCount(other) ? null : at
}

function asHeavy(one: Study, other: Study, frame: number): number {
  const own = one.frames.workNs
  const lighter = own.reduce((count, ns) => count + (ns < own[frame]! ? 1 : 0), 0)
  const order = [...other.frames.workNs.keys()].sort(
    (a, b) => other.frames.workNs[a]! - other.frames.workNs[b]!,
  )
  return order[Math.round((lighter / Math.max(1, own.length - 1)) * (order.length - 1))]!
}
