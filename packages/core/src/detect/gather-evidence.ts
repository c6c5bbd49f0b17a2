/** What detectors share: which frames are normal, which stick out and why, what each path usually costs. */
import { MAIN_LANE, type Path } from '../take/index.ts'
import {
  budgetNsOf,
  frameCount,
  pathNames,
  recordedSeconds,
  type PathCourse,
  type Study,
} from '../study/index.ts'
import { median, percentileSorted, sum } from '../stats/index.ts'
import { collectionsOf, type Collection } from './collections.ts'
import { familiesOf, type SpikeFamily } from './families.ts'
import { findSpikes, pauseFrames, unmarkedNs, type Spike } from './spikes.ts'

/** Mean over all frames. */
export interface PathMeans {
  calls: number
  selfNs: number
  totalNs: number
  /** Share of the frames in which it ran. */
  share: number
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
  spikes: Spike[]
  families: SpikeFamily[]
  /** 1 where a frame belongs to no spike and is no pause. */
  isNormal: Uint8Array
  normalFrames: number
  collections: Collection[]
  /** Paths of the main lane that work, with their courses. */
  work: { path: Path; course: PathCourse }[]
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
  const spikes = findSpikes(study, unmarked, isPause)
  const isNormal = new Uint8Array(count).fill(1)
  for (const { from, to } of spikes) isNormal.fill(0, from, to + 1)
  for (let frame = 0; frame < count; frame++) if (isPause[frame] === 1) isNormal[frame] = 0
  const { paths } = study
  const means = new Map<number, PathMeans>()
  return {
    study,
    count,
    seconds: recordedSeconds(study),
    budgetNs: budgetNsOf(study),
    unmarkedNs: unmarked,
    isPause,
    spikes,
    families: familiesOf(study, spikes),
    isNormal,
    normalFrames: sum(isNormal),
    collections: collectionsOf(study),
    work: [...study.courses.values()]
      .map((course) => ({ path: paths.get(course.path), course }))
      .filter(({ path }) => path.kind === 'work' && path.lane === MAIN_LANE),
    means(path) {
      let known = means.get(path)
      if (known === undefined) means.set(path, (known = meansOf(study.courses.get(path), count)))
      return known
    },
    names: (path) => pathNames(study, path),
  }
}

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
