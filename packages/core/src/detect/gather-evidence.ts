/** What detectors share: which frames are normal, which stick out and why, what each path usually costs. */
import { MAIN_LANE, type Path } from '../take/index.ts'
import {
  atEqualSpeed,
  budgetNsOf,
  frameCount,
  machineSpeed,
  pathNames,
  recordedSeconds,
  type MachineSpeed,
  type PathCourse,
  type Study,
} from '../study/index.ts'
import { median, percentileSorted, sum } from '../stats/index.ts'
import { blameMachine, type MachineBlame } from './blame-machine.ts'
import { collectionsOf, type Collection } from './collections.ts'
import { familiesOf, type SpikeFamily } from './families.ts'
import { perStep } from './per-step.ts'
import { RAMP_MOMENT } from './scaling.ts'
import { findSpikes, pauseFrames, unmarkedNs, type Cause, type Spike } from './spikes.ts'
import { findStrikes, type Strikes } from './strikes.ts'
import { stepFigures } from './waiting.ts'

/** Mean over all frames. */
export interface PathMeans {
  calls: number
  selfNs: number
  totalNs: number
  /** Share of the frames in which it ran. */
  share: number
}

export interface WorkCourse {
  path: Path
  course: PathCourse
}

export interface Evidence {
  study: Study
  count: number
  seconds: number
  budgetNs: number
  /** Main-lane time outside any marker, by frame. */
  unmarkedNs: Float64Array
  /** 1 where the game stood still: neither work nor anything to explain. */
  isPause: Uint8Array
  speed: MachineSpeed
  strikes: Strikes
  spikes: Spike[]
  families: SpikeFamily[]
  /** 1 where a frame belongs to no spike and is no pause. */
  isNormal: Uint8Array
  normalFrames: number
  collections: Collection[]
  /** Paths of the main lane that work, with their courses. */
  work: WorkCourse[]
  /** The same of other lanes. */
  elsewhere: WorkCourse[]
  /** The study and `work` as they would be on a machine that is always as fast, with as many fixed steps in each frame. */
  even(): { study: Study; work: WorkCourse[] }
  means(path: number): PathMeans
  names(path: number): string[]
}

/** How often something came, a second; 0 where no time passed. */
export const perSecond = ({ seconds }: Pick<Evidence, 'seconds'>, times: number): number =>
  seconds > 0 ? times / seconds : 0

export function gatherEvidence(study: Study): Evidence {
  const count = frameCount(study)
  const unmarked = unmarkedNs(study)
  const isPause = pauseFrames(study, unmarked)
  const speed = machineSpeed(study)
  const strikes = findStrikes(study, unmarked, isPause, speed)
  const { spikes, families } = explained(study, findSpikes(study, unmarked, isPause), strikes, speed)
  const isNormal = new Uint8Array(count).fill(1)
  for (const { from, to } of spikes) isNormal.fill(0, from, to + 1)
  for (let frame = 0; frame < count; frame++) if (isPause[frame] === 1) isNormal[frame] = 0
  const work = workOf(study)
  const seconds = recordedSeconds(study)
  let even: ReturnType<Evidence['even']> | null = null
  const means = new Map<number, PathMeans>()
  return {
    study,
    count,
    seconds,
    budgetNs: budgetNsOf(study),
    unmarkedNs: unmarked,
    isPause,
    speed,
    strikes,
    spikes,
    families,
    isNormal,
    normalFrames: sum(isNormal),
    collections: collectionsOf(study),
    work,
    elsewhere: workOf(study, (lane) => lane !== MAIN_LANE),
    even() {
      if (even === null) {
        // In a ramp nobody can tell load from machine: what costs more is taken to be the load's doing.
        const isRamp = study.moments.some(({ name }) => name === RAMP_MOMENT)
        const alike = withUsualSteps(isRamp ? study : atEqualSpeed(study, speed), { count, seconds, work })
        even = { study: alike, work: workOf(alike) }
      }
      return even
    },
    means(path) {
      let known = means.get(path)
      if (known === undefined) means.set(path, (known = meansOf(study.courses.get(path), count)))
      return known
    },
    names: (path) => pathNames(study, path),
  }
}

function withUsualSteps(study: Study, of: Pick<Evidence, 'count' | 'seconds' | 'work'>): Study {
  const step = stepFigures({ study, ...of })
  return step === null || step.path === null ? study : perStep(study, step.path, Math.max(1, step.usual))
}

const workOf = (
  { courses, paths }: Study,
  isOn: (lane: number) => boolean = (lane) => lane === MAIN_LANE,
): WorkCourse[] =>
  [...courses.values()]
    .map((course) => ({ path: paths.get(course.path), course }))
    .filter(({ path }) => path.kind === 'work' && isOn(path.lane))

/**
 * Which spikes are the machine's, and the families of the others. What comes at a moment of the game is the game's,
 * however it looks: a wave may slow all code at once.
 */
function explained(study: Study, found: Spike[], strikes: Strikes, speed: MachineSpeed) {
  const blames = blameMachine(study, found, strikes, speed)
  const atMoments = new Set(
    familiesOf(study, found, (spike) => blames[spike]?.by === 'told')
      .filter(({ moment }) => moment !== null)
      .flatMap(({ spikes }) => spikes),
  )
  const spikes = found.map((spike, i) => {
    const blame = atMoments.has(i) ? null : blames[i]!
    return blame === null ? spike : { ...spike, machine: blame, causes: [causeOf(blame), ...spike.causes] }
  })
  return { spikes, families: familiesOf(study, spikes, (spike) => spikes[spike]!.machine !== null) }
}

const causeOf = ({ excessNs, factor }: MachineBlame): Cause => ({
  ...{ path: null, excessNs, selfNs: excessNs, usualNs: 0, calls: factor, usualCalls: 1, why: 'machine' },
})

function meansOf(course: PathCourse | undefined, count: number): PathMeans {
  const sums = { calls: 0, selfNs: 0, totalNs: 0, share: 0 }
  if (course === undefined || count === 0) return sums
  for (let cell = 0; cell < course.frame.length; cell++) {
    sums.calls += course.calls[cell]!
    sums.selfNs += course.selfNs[cell]!
    sums.totalNs += course.totalNs[cell]!
  }
  return {
    calls: sums.calls / count,
    selfNs: sums.selfNs / count,
    totalNs: sums.totalNs / count,
    share: course.frame.length / count,
  }
}

/** Frames that are neither the lightest nor the heaviest quarter of the normal ones. */
export function typicalFrames({ study, isNormal, count }: Evidence): Uint8Array {
  const work = study.frames.workNs.filter((_, frame) => isNormal[frame] === 1).sort()
  const low = percentileSorted(work, 0.25)
  const high = percentileSorted(work, 0.75)
  const typical = new Uint8Array(count)
  for (let frame = 0; frame < count; frame++) {
    const workNs = study.frames.workNs[frame]!
    if (isNormal[frame] === 1 && workNs >= low && workNs <= high) typical[frame] = 1
  }
  return typical
}

/** What a path costs in one of the normal frames in which it runs: the median. */
export function usualWhereItRuns(
  { isNormal }: Evidence,
  course: PathCourse,
  column: 'selfNs' | 'totalNs',
): number {
  return median(course[column].filter((_, cell) => isNormal[course.frame[cell]!] === 1))
}
