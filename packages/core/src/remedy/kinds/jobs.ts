import { mean, median, sum } from '../../stats/index.ts'
import { MAIN_LANE } from '../../take/index.ts'
import { ms, plural, three } from '../../words/index.ts'
import { choice, number, numberOf } from '../input.ts'
import { handOverUs } from '../hand-over.ts'
import { lanesWithJoin } from '../lanes-with-join.ts'
import type { Picture } from '../picture.ts'
import { outcome, Refusal, type Remedy } from '../remedy.ts'
import { makespan, scheduleJobs } from '../schedule.ts'
import { largest } from '../shares.ts'
import type { Site } from '../site.ts'

const MOST_SUGGESTED = 4
/** Handing a job over costs this where no job was recorded, µs. */
const DISPATCH_US = 20
const MOST_WORKERS = 16
/** A job should be worth so many times what handing it over costs. */
const WORTH = 10

/** Done by workers on other lanes. */
export const remedy: Remedy = {
  kind: 'jobs',
  order: 7,
  words: 'jobs on other lanes',
  about: 'cut into jobs that workers do, while the frame goes on',
  price: 'waiting at the join, perhaps a frame of delay, and data that must not be shared',
  effort: 'large',
  makes:
    'T leaves the main lane; `dispatch` for each of ⌈T / grain⌉ jobs; the main lane waits at the join for what `workers` have not done by then, each busy with what its lane did already (list scheduling). Joined in the same frame after `overlap` of its other work, or in the next',
  suggests:
    'workers: as few as are done within half the frame’s other work; dispatch: median time from handing over to beginning of recorded jobs; grain: ten times that',
  limits: { DISPATCH_US, MOST_WORKERS, WORTH, MOST_SUGGESTED },
  inputs(site) {
    site.demandWork()
    const tree = site.treeNs()
    if (site.base.inside(site.path).some((id) => site.base.study.paths.get(id).kind.startsWith('wait:')))
      throw new Refusal(`${site.name} waits for something itself: only work can be handed over`)
    const typicalNs = site.base.once(`typical ${site.path}`, () => median(tree.filter((ns) => ns > 0)))
    const measured = site.base.once('hand-over', () => handOverUs(site))
    const dispatchUs = measured ?? DISPATCH_US
    const workers = site.base.once(`workers ${site.path}`, () => suggestedWorkers(site, tree))
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
        words: 'share of the frame before the join',
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
    const lanes = workerLanes(site, workers)
    const busyNs = new Array<number>(workers).fill(0)
    const keep = site.filled(1)
    const jobWaitNs = site.filled(0)
    const extraNs = site.filled(0)
    let worst = 0
    let waitsFrames = 0
    for (let frame = 0; frame < site.count; frame++) {
      const ns = tree[frame]!
      // What costs less than handing it over is done at once.
      if (ns <= dispatchNs) continue
      keep[frame] = 0
      if (ns > tree[worst]!) worst = frame
      const count = Math.ceil(ns / grainNs)
      extraNs[frame] = count * dispatchNs
      for (let worker = 0; worker < workers; worker++) busyNs[worker] = lanes[worker]!.busyNs[frame]!
      const doneNs = dispatchNs + makespan(count, ns / count, busyNs)
      const othersNs = Math.max(0, workNs[frame]! - ns)
      const freeNs = isNext ? othersNs + idleNs(site, frame, ns) : othersNs * overlap
      const waitNs = Math.max(0, doneNs - freeNs)
      // What is late for the next frame is waited for there.
      const at = isNext ? Math.min(site.count - 1, frame + 1) : frame
      jobWaitNs[at]! += waitNs
      if (waitNs > 0) waitsFrames++
    }
    const frames = keep.reduce((sum, stays) => sum + 1 - stays, 0)
    const latency = isNext ? 1 : 0
    return outcome([{ path: site.path, keep, extraNs, jobWaitNs }], {
      price: [
        `waits at the join in ${plural(waitsFrames, 'frame')} of ${frames}, ${ms(largest(jobWaitNs) / 1e6)} at worst`,
        ...(isNext ? ['results are one frame late'] : []),
        `what ${site.name} reads and writes must not be shared with the main lane meanwhile`,
      ],
      notes: [`${three(mean(extraNs) / 1e6)} ms a frame for handing over`, ...coreWords(site, workers)],
      latencyFrames: { mean: latency, worst: latency },
      picture:
        frames === 0
          ? null
          : pictureOf(worst, lanes, {
              workNs: tree[worst]!,
              grainNs,
              dispatchNs,
              joinNs: isNext
                ? site.base.study.frames.durationNs[worst]!
                : Math.max(0, workNs[worst]! - tree[worst]!) * overlap,
            }),
    })
  },
}

/** What of a frame is left after its work, ns: a refresh that is waited for gives jobs time. */
const idleNs = (site: Site, frame: number, movedNs: number): number =>
  site.base.periodNs === null ? 0 : Math.max(0, site.base.periodNs - (site.replay.workNs[frame]! - movedNs))

interface Handed {
  workNs: number
  grainNs: number
  dispatchNs: number
  joinNs: number
}

/** The jobs of one frame on their lanes. */
function pictureOf(frame: number, lanes: Lane[], { workNs, grainNs, dispatchNs, joinNs }: Handed): Picture {
  const count = Math.ceil(workNs / grainNs)
  const busyNs = lanes.map((lane) => lane.busyNs[frame]!)
  const { shifts, endNs } = scheduleJobs(count, workNs / count, busyNs)
  return lanesWithJoin({
    lanes: lanes.map(({ name }) => name),
    busyNs,
    shifts: shifts.map(({ lane, fromNs, toNs }) => ({
      lane,
      fromNs: fromNs + dispatchNs,
      toNs: toNs + dispatchNs,
    })),
    joinNs,
    endNs: endNs + dispatchNs,
  })
}

interface Lane {
  name: string
  /** What it does already, by frame. */
  busyNs: Float64Array
}

const otherLanes = (site: Site) =>
  [...site.base.study.declarations.lanes.values()].filter(({ id }) => id !== MAIN_LANE)

/** One for each worker; those beyond the recorded lanes do nothing else. */
function workerLanes(site: Site, workers: number): Lane[] {
  const known = site.base.once('lanes', () => recordedLanes(site))
  return Array.from(
    { length: workers },
    (_, i) => known[i] ?? { name: `worker ${i + 1}`, busyNs: site.base.zeros },
  )
}

/** The least busy ones first. */
function recordedLanes(site: Site): Lane[] {
  const { study, count } = site.base
  const lanes = otherLanes(site).map(({ id, name }): Lane => {
    const busyNs = new Float64Array(count)
    for (const course of study.courses.values()) {
      const { lane, depth } = study.paths.get(course.path)
      if (lane !== id || depth !== 0) continue
      course.frame.forEach((frame, cell) => (busyNs[frame]! += course.totalNs[cell]!))
    }
    return { name, busyNs }
  })
  return lanes.sort((a, b) => sum(a.busyNs) - sum(b.busyNs))
}

/** As few as are done within half the rest of a middling frame with such work, with what their lanes do already. */
function suggestedWorkers(site: Site, tree: Float64Array): number {
  const frames = [...tree.keys()].filter((frame) => tree[frame]! > 0)
  if (frames.length === 0) return 1
  const freeNs = median(frames.map((frame) => site.replay.workNs[frame]! - tree[frame]!)) / 2
  const workNs = median(frames.map((frame) => tree[frame]!))
  const busyNs = workerLanes(site, MOST_SUGGESTED).map((lane) =>
    median(frames.map((frame) => lane.busyNs[frame]!)),
  )
  const doneNs = busyNs.map((_, i) => makespan(2 * (i + 1), workNs / (2 * (i + 1)), busyNs.slice(0, i + 1)))
  const enough = doneNs.findIndex((ns) => ns <= freeNs)
  return 1 + (enough >= 0 ? enough : doneNs.indexOf(Math.min(...doneNs)))
}

function laneWords(site: Site): string {
  const count = otherLanes(site).length
  if (count === 0) return 'the take knows of no other lane: those are assumed to do nothing else'
  const allNs = Math.max(1, sum(site.base.study.frames.durationNs))
  const shares = workerLanes(site, count).map(({ busyNs }) => `${three((sum(busyNs) / allNs) * 100)} %`)
  return `the take knows of ${plural(count, 'other lane')}, busy ${shares.join(', ')} of the time`
}

function coreWords(site: Site, workers: number): string[] {
  const lanes = otherLanes(site).length
  return workers > lanes
    ? [`${plural(workers - lanes, 'worker')} more than the take has lanes: they need cores of their own`]
    : []
}
