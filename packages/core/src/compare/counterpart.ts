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

/** A moment that two takes have, by the frame of each. */
export interface SameMoment {
  name: string
  one: number
  other: number
}

/** Moments are the same where they have the same name and come in the same turn. In order of `one`. */
export function sameMoments(one: Study, other: Study): SameMoment[] {
  const there = new Map<string, number[]>()
  for (const { name, frame } of other.moments) {
    const own = there.get(name)
    if (own === undefined) there.set(name, [frame])
    else own.push(frame)
  }
  const turns = new Map<string, number>()
  return one.moments.flatMap(({ name, frame }) => {
    const turn = turns.get(name) ?? 0
    turns.set(name, turn + 1)
    const at = there.get(name)?.[turn]
    return at === undefined ? [] : [{ name, one: frame, other: at }]
  })
}

function afterSameMoment(one: Study, other: Study, frame: number): number | null {
  const last = one.moments.filter((moment) => moment.frame <= frame).at(-1)
  const same = sameMoments(one, other).filter((moment) => moment.one <= frame)
  const there = same.at(-1)
  // After another moment, that the other take has not, they need not be alike.
  if (last === undefined || there === undefined || there.one !== last.frame || there.name !== last.name)
    return null
  const at = there.other + (frame - there.one)
  return at >= frameCount(other) ? null : at
}

function asHeavy(one: Study, other: Study, frame: number): number {
  const own = one.frames.workNs
  const lighter = own.reduce((count, ns) => count + (ns < own[frame]! ? 1 : 0), 0)
  const order = [...other.frames.workNs.keys()].sort(
    (a, b) => other.frames.workNs[a]! - other.frames.workNs[b]!,
  )
  return order[Math.round((lighter / Math.max(1, own.length - 1)) * (order.length - 1))]!
}
