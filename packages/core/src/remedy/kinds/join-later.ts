import { settledFrame } from '../frames-after.ts'
import { joinsOf, waitsLeft } from '../joins.ts'
import type { Remedy } from '../remedy.ts'

/** The result is taken a frame later. */
export const remedy: Remedy = {
  kind: 'join-later',
  order: 22,
  words: 'join a frame later',
  about: 'the result of the job is taken at the same place of the next frame',
  price: 'what is shown is a frame old',
  effort: 'small',
  makes:
    'the job has a frame more, as long as the frame is without the wait; what is not done by then is waited for',
  suggests: '',
  inputs(site) {
    joinsOf(site)
    return []
  },
  apply(site) {
    const joins = joinsOf(site)
    const next = new Map(joins.map((join) => [join.frame - 1, join]))
    const { base, replay } = site
    const unwaited = { ...replay.waitNs, job: replay.waitNs.job.slice() }
    for (const { frame, waitNs } of joins) unwaited.job[frame]! -= waitNs
    const leftNs = joins.map((join) => {
      const { durationNs } = settledFrame(base, join.frame, replay.workNs[join.frame]!, unwaited)
      // The next join is where it is in the next frame, or where it was in this one.
      const { endedNs, waitNs } = next.get(join.frame) ?? join
      return Math.max(0, join.endedNs - durationNs - (endedNs - waitNs))
    })
    return waitsLeft(site, joins, leftNs, 1, 0, {
      price: ['what is shown is one frame late'],
      latencyFrames: { mean: 1, worst: 1 },
    })
  },
}
