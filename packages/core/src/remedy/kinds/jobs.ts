import { mean, median, sum } from '../../stats/index.ts'
import { dense } from '../../study/index.ts'
import { MAIN_LANE } from '../../take/index.ts'
import { ms, plural, three } from '../../words/index.ts'
import { everywhere } from '../change.ts'
import { choice, number, numberOf } from '../input.ts'
import type { Picture } from '../picture.ts'
import { outcome, Refusal, type Remedy } from '../remedy.ts'
import { makespan, scheduleJobs } from '../schedule.ts'
import { largest } from '../shares.ts'
import type { Site } from '../site.ts'

/** Handing a job over costs this where no job was recorded, µs. */
const DISPATCH_US = 20
const MOST_WORKERS = 16
/** A job should be worth so many times what handing it over costs. */
const WORTH = 10

/** Done by workers on other lanes. */
export const jobs: Remedy = {
  kind: 'jobs',
  words: 'jobs on other lanes',
  about: 'cut into jobs that workers do, while the frame goes on',
  price: 'waiting at the join, perhaps a frame of delay, and data that must not be shared',
  effort: 'large',
  inputs(site) {
    const tree = site.replay.treeNs(site.workPath)
    if (site.base.inside(site.path).some((id) => site.base.study.paths.get(id).kind.startsWith('wait:')))
      throw new Refusal(`${site.name} waits for something itself: only work can be handed over`)
    const typicalNs = median(tree.filter((ns) => ns > 0))
    const measured = handOverUs(site)
    const dispatchUs = measured ?? DISPATCH_US
    const workers = suggestedWorkers(site, tree)
    const grainMs = Math.max((WORTH * dispatchUs) / 1000, (typicalNs || 0) / 1e6 / (workers * 2))
    return [
      number('workers', {
        words: 'workers',
        about: `lanes to do the jobs; ${laneWords(site)}`,
        origin: 'measured',
        suggested: workers,
        least: 1,
        most: MOST_WORKERS,
        whole: true,
      }),
      number('grain', {
        words: 'one job is',
        unit: 'ms',
        about: `below ${three(dispatchUs / 1000)} ms handing it over costs more than it saves`,
        origin: 'assumed',
        suggested: grainMs,
        least: 0.001,
        most: 10_000,
        others: [{ value: dispatchUs / 1000, words: 'breaks even' }],
      }),
      number('dispatch', {
        words: 'cost of handing one over',
        unit: 'µs',
        about:
          measured === null
            ? 'on the main lane, for each job; no job was recorded to measure it by'
            : 'on the main lane, for each job; as the recorded ones took from being handed over to beginning',
        origin: measured === null ? 'assumed' : 'measured',
        suggested: dispatchUs,
        most: 100_000,
      }),
      choice('join', {
        words: 'results are needed',
        about: 'in the same frame the main lane waits at the join; in the next everything is a frame late',
        origin: 'assumed',
        choices: [
          { id: 'same', words: 'in the same frame' },
          { id: 'next', words: 'in the next frame' },
        ],
        suggested: 'same',
      }),
      number('overlap', {
        words: 'of the frame before the join',
        unit: '%',
        about: 'share of the frame’s other work that the main lane does before it needs the results',
        origin: 'assumed',
        suggested: 50,
        most: 100,
      }),
    ]
  },
  apply(site, values) {
    const tree = site.treeNs()
    const { workNs } = site.replay
    const workers = numberOf(values, 'workers')
    const grainNs = numberOf(values, 'grain') * 1e6
    const dispatchNs = numberOf(values, 'dispatch') * 1000
    const overlap = numberOf(values, 'overlap') / 100
    const isNext = values['join'] === 'next'
    const busy = workerBusyNs(site, workers)
    const jobWaitNs = new Float64Array(site.count)
    const extraNs = new Float64Array(site.count)
    let worst = 0
    let waitsFrames = 0
    for (let frame = 0; frame < site.count; frame++) {
      const ns = tree[frame]!
      if (ns === 0) continue
      if (ns > tree[worst]!) worst = frame
      const count = Math.ceil(ns / grainNs)
      extraNs[frame] = count * dispatchNs
      const doneNs =
        dispatchNs +
        makespan(
          count,
          ns / count,
          busy.map((lane) => lane[frame]!),
        )
      const othersNs = Math.max(0, workNs[frame]! - ns)
      const freeNs = isNext ? othersNs + idleNs(site, frame, ns) : othersNs * overlap
      const waitNs = Math.max(0, doneNs - freeNs)
      // What is late for the next frame is waited for there.
      const at = isNext ? Math.min(site.count - 1, frame + 1) : frame
      jobWaitNs[at]! += waitNs
      if (waitNs > 0) waitsFrames++
    }
    const frames = Math.max(
      1,
      tree.reduce((sum, ns) => sum + (ns > 0 ? 1 : 0), 0),
    )
    const latency = isNext ? 1 : 0
    return outcome([{ path: site.path, keep: everywhere(site.count, 0), extraNs, jobWaitNs }], {
      price: [
        `waits at the join in ${plural(waitsFrames, 'frame')} of ${frames}, ${ms(largest(jobWaitNs) / 1e6)} at worst`,
        ...(isNext ? ['results are one frame late'] : []),
        `what ${site.name} reads and writes must not be shared with the main lane meanwhile`,
      ],
      notes: [`${three(mean(extraNs) / 1e6)} ms a frame for handing over`, ...coreWords(site, workers)],
      latencyFrames: { mean: latency, worst: latency },
      picture: pictureOf(site, worst, {
        tree,
        grainNs,
        dispatchNs,
        busy,
        joinNs: isNext
          ? (site.base.study.frames.durationNs[worst] ?? 0)
          : Math.max(0, workNs[worst]! - tree[worst]!) * overlap,
      }),
    })
  },
}

/** What of a frame is left after its work, ns: a refresh that is waited for gives jobs time. */
const idleNs = (site: Site, frame: number, movedNs: number): number =>
  site.base.periodNs === null ? 0 : Math.max(0, site.base.periodNs - (site.replay.workNs[frame]! - movedNs))

function pictureOf(
  site: Site,
  frame: number,
  {
    tree,
    grainNs,
    dispatchNs,
    busy,
    joinNs,
  }: { tree: Float64Array; grainNs: number; dispatchNs: number; busy: Float64Array[]; joinNs: number },
): Picture | null {
  if (tree.length === 0 || tree[frame] === 0) return null
  const count = Math.ceil(tree[frame]! / grainNs)
  const busyNs = busy.map((lane) => lane[frame]!)
  const { shifts, endNs } = scheduleJobs(count, tree[frame]! / count, busyNs)
  const moved = shifts.map(({ lane, fromNs, toNs }) => ({
    lane,
    fromNs: fromNs + dispatchNs,
    toNs: toNs + dispatchNs,
  }))
  return {
    sort: 'schedule',
    frame,
    lanes: busy.map((_, i) => laneNames(site)[i] ?? `worker ${i + 1}`),
    busyNs,
    shifts: moved,
    joinNs,
    endNs: endNs + dispatchNs,
  }
}

const otherLanes = (site: Site) =>
  [...site.base.study.declarations.lanes.values()].filter(({ id }) => id !== MAIN_LANE)
const laneNames = (site: Site) => otherLanes(site).map(({ name }) => name)

/** For each worker what its lane does in each frame already; workers beyond the recorded lanes do nothing else. */
function workerBusyNs(site: Site, workers: number): Float64Array[] {
  const { study, count } = site.base
  const lanes = otherLanes(site).map(({ id }) => {
    const busy = new Float64Array(count)
    for (const course of study.courses.values()) {
      const { lane, depth } = study.paths.get(course.path)
      if (lane !== id || depth !== 0) continue
      dense(course, 'totalNs', count).forEach((ns, frame) => (busy[frame]! += ns))
    }
    return busy
  })
  // The least busy ones first.
  lanes.sort((a, b) => sum(a) - sum(b))
  return Array.from({ length: workers }, (_, i) => lanes[i] ?? new Float64Array(count))
}

/** As few as are done in half the rest of a middling frame with such work. */
function suggestedWorkers(site: Site, tree: Float64Array): number {
  const frames = [...tree.keys()].filter((frame) => tree[frame]! > 0)
  if (frames.length === 0) return 1
  const othersNs = median(frames.map((frame) => site.replay.workNs[frame]! - tree[frame]!))
  const workNs = median(frames.map((frame) => tree[frame]!))
  return Math.max(1, Math.min(4, Math.ceil(workNs / Math.max(1, othersNs / 2))))
}

/** Median time from handing over to beginning of the recorded jobs, µs. */
function handOverUs(site: Site): number | null {
  const gaps = site.base.study.jobs.flatMap(({ dispatched, begun }) =>
    dispatched !== null && begun !== null && begun.atNs >= dispatched.atNs
      ? [(begun.atNs - dispatched.atNs) / 1000]
      : [],
  )
  return gaps.length === 0 ? null : median(gaps)
}

function laneWords(site: Site): string {
  const names = laneNames(site)
  if (names.length === 0) return 'the take knows of no other lane: those are assumed to do nothing else'
  const busy = workerBusyNs(site, names.length)
  const shares = busy.map((lane) => sum(lane) / Math.max(1, sum(site.base.study.frames.durationNs)))
  return `the take knows of ${plural(names.length, 'other lane')}, busy ${shares.map((share) => `${three(share * 100)} %`).join(', ')} of the time`
}

function coreWords(site: Site, workers: number): string[] {
  const lanes = otherLanes(site).length
  return workers > lanes
    ? [`${plural(workers - lanes, 'worker')} more than the take has lanes: they need cores of their own`]
    : []
}
