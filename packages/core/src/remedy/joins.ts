/** Waits of the main lane for jobs, each with the job that it ended with. */
import { lastJobs } from '../detect/index.ts'
import { median } from '../stats/index.ts'
import { ms, plural } from '../words/index.ts'
import { lanesWithJoin } from './lanes-with-join.ts'
import { outcome, Refusal, type Outcome } from './remedy.ts'
import type { Site } from './site.ts'

/** Times in ns. */
export interface Join {
  frame: number
  /** As the plan has left it so far. */
  waitNs: number
  /** From the frame's beginning to handing the job over, to its beginning, and to its end. */
  handedNs: number
  begunNs: number
  endedNs: number
  lane: number
}

/** @throws Refusal where the path does not wait for jobs, or nobody told of them */
export function joinsOf(site: Site): Join[] {
  const { study } = site.base
  if (study.paths.get(site.path).kind !== 'wait:job')
    throw new Refusal(`${site.name} does not wait for a job: this is about the wait at its join`)
  const recorded = site.base.once(`joins ${site.path}`, () => recordedJoins(site))
  if (recorded.length === 0)
    throw new Refusal(
      'no job is told of that ends in these waits: say when jobs are handed over, begin and end',
    )
  const { selfNs } = site.columns
  return recorded.map((join) => ({ ...join, waitNs: selfNs[join.frame]! }))
}

function recordedJoins(site: Site): Omit<Join, 'waitNs'>[] {
  const { study } = site.base
  const inFrames = study.courses.get(site.path)!.frame
  return lastJobs(study, inFrames).flatMap((job, i) => {
    if (job === null || job.begun === null) return []
    const frame = inFrames[i]!
    const startNs = study.frames.startNs[frame]!
    const begunNs = job.begun.atNs - startNs
    const handedNs = job.dispatched === null ? begunNs : job.dispatched.atNs - startNs
    return [{ frame, handedNs, begunNs, endedNs: job.ended.atNs - startNs, lane: job.ended.lane }]
  })
}

export const runNsOf = ({ begunNs, endedNs }: Join): number => Math.max(0, endedNs - begunNs)

/** Length of a run in the middle of them all, ms. */
export const typicalRunMs = (joins: readonly Join[]): number => median(joins.map(runNsOf)) / 1e6

/**
 * What becomes of the waits when each job ends earlier. A wait is over when its job is: it is shorter by as much, at most
 * by all of it.
 * @param earlierNs by how much a join's job ends earlier; below 0 for later
 */
export function endEarlier(
  site: Site,
  joins: readonly Join[],
  earlierNs: (join: Join) => number,
  more: Partial<Outcome> = {},
): Outcome {
  const leftNs = joins.map((join) => (join.waitNs > 0 ? Math.max(0, join.waitNs - earlierNs(join)) : 0))
  return waitsLeft(site, joins, leftNs, 0, earlierNs(longest(joins)), more)
}

/**
 * @param leftNs of each join's wait
 * @param later frames after that of the join in which it is waited
 * @param earlierNs of the job that is waited for longest
 */
export function waitsLeft(
  site: Site,
  joins: readonly Join[],
  leftNs: readonly number[],
  later: number,
  earlierNs: number,
  more: Partial<Outcome>,
): Outcome {
  const keep = site.filled(1)
  const put = site.filled(0)
  for (const { frame } of joins) keep[frame] = 0
  joins.forEach(({ frame }, i) => (put[Math.min(site.count - 1, frame + later)]! += leftNs[i]!))
  return outcome([{ path: site.path, keep, put, sameRuns: true }], {
    ...more,
    price: [...(more.price ?? []), stillWaits(leftNs)],
    notes: ['what is gained is waiting, not work', ...(more.notes ?? [])],
    picture: pictureOf(site, longest(joins), earlierNs),
  })
}

const longest = (joins: readonly Join[]): Join =>
  joins.reduce((most, join) => (join.waitNs > most.waitNs ? join : most))

/** The frame that waits longest, as it would have been. */
function pictureOf(site: Site, { handedNs, begunNs, endedNs, waitNs, lane }: Join, earlierNs: number) {
  const endNs = Math.max(0, endedNs - handedNs - earlierNs)
  return lanesWithJoin({
    lanes: [site.base.study.declarations.lane(lane).name],
    busyNs: [0],
    shifts: [{ lane: 0, fromNs: Math.max(0, Math.min(begunNs - handedNs, endNs)), toNs: endNs }],
    joinNs: Math.max(0, endedNs - waitNs - handedNs),
    endNs,
  })
}

/** How many frames still wait, and how long at worst. */
function stillWaits(leftNs: readonly number[]): string {
  const frames = leftNs.filter((ns) => ns > 0).length
  return frames === 0
    ? 'no frame waits for it any more'
    : `${plural(frames, 'frame')} of ${leftNs.length} still wait, ${ms(Math.max(...leftNs) / 1e6)} at worst`
}
