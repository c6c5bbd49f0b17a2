/**
 * A take, or a part of it, as questions about its frames need it: the course of every path over the
 * frames, and what the frames say besides. No spans. Frames count from 0 at the study's first.
 */
import type { Conditions, Moment, Place, SampleName, SAMPLES } from '../format/index.ts'
import type { CourseDetails } from '../rollup/index.ts'
import type { Declarations, FrameColumns, Job, PathTable } from '../take/index.ts'

/** One path over the frames; one element for each frame it ran in. */
export interface PathCourse {
  path: number
  /** Ascending. */
  frame: Uint32Array
  calls: Uint32Array
  selfNs: Float64Array
  totalNs: Float64Array
  /** Null when no run in its chunks said anything about itself. */
  details: CourseDetails | null
}

/** Samples as columns of one element a frame, under the names of their table (format/tables). */
type SeriesOf<N extends SampleName> = Record<keyof (typeof SAMPLES)[N]['columns'], Float64Array>
export type WatchSeries = SeriesOf<'watches'>
export type LifeSeries = SeriesOf<'lives'>
export type UpdaterSeries = SeriesOf<'updaters'>

export interface StudyMoment {
  name: string
  frame: number
  atNs: number
  data: Moment['data']
}

export interface Study {
  conditions: Conditions
  /** Frames a second to judge by. */
  target: number
  declarations: Declarations
  paths: PathTable
  /** Number in the take of the study's frame 0. */
  firstFrame: number
  frames: FrameColumns
  /** By number of the path; those that did not run are missing. */
  courses: Map<number, PathCourse>
  /** By id; the value holds until the next sample, NaN before the first. */
  gauges: Map<number, Float64Array>
  watches: Map<number, WatchSeries>
  lives: Map<number, LifeSeries>
  updaters: Map<number, UpdaterSeries>
  jobs: Job[]
  moments: StudyMoment[]
  /** First frames of kept stretches: time is missing before each. */
  stretches: number[]
  /** Whole frames the recorder left out. */
  dropped: number
  /** `trial=variant` whose frames alone these are; undefined for all frames. */
  variant?: string
}

export const frameCount = (study: Pick<Study, 'frames'>): number => study.frames.startNs.length
export const budgetNsOf = ({ target }: Pick<Study, 'target'>): number => 1e9 / target

/** Where in the code the marker of a path stands; null where that is not known. */
export const pathPlace = (
  { declarations, paths }: Pick<Study, 'declarations' | 'paths'>,
  path: number | null,
): Place | null => (path === null ? null : declarations.marker(paths.get(path).marker).at)

/** Names of the markers from the outermost to the path's own. */
export const pathNames = ({ declarations, paths }: Study, path: number): string[] =>
  paths.chain(path).map((id) => declarations.marker(paths.get(id).marker).name)

/** Time recorded, s: that of the frames themselves. */
export function recordedSeconds({ frames }: Pick<Study, 'frames'>): number {
  let ns = 0
  for (const duration of frames.durationNs) ns += duration
  return ns / 1e9
}

/**
 * Time in which births and deaths are counted, ns: when each frame begins, and all of it, as if kept stretches followed one
 * another. What happens in a frame that is left out within a stretch is told with the next.
 */
export function countedNs(study: Pick<Study, 'frames' | 'stretches'>): {
  startNs: Float64Array
  allNs: number
} {
  const { startNs, durationNs } = study.frames
  const counted = startNs.slice()
  let allNs = 0
  for (const { from, to } of unbrokenStretches(study)) {
    for (let frame = from; frame < to; frame++) counted[frame] = allNs + startNs[frame]! - startNs[from]!
    allNs += startNs[to - 1]! + durationNs[to - 1]! - startNs[from]!
  }
  return { startNs: counted, allNs }
}

export const countedSeconds = (study: Pick<Study, 'frames' | 'stretches'>): number =>
  countedNs(study).allNs / 1e9

/** Frames `from` to before `to` of each stretch without missing time. */
export function unbrokenStretches(
  study: Pick<Study, 'frames' | 'stretches'>,
): { from: number; to: number }[] {
  const count = frameCount(study)
  const starts = [...new Set([0, ...study.stretches])].filter((start) => start < count).sort((a, b) => a - b)
  return starts.map((from, i) => ({ from, to: starts[i + 1] ?? count })).filter(({ from, to }) => to > from)
}

/** A column of a course with 0 in the frames in which the path did not run. */
export function dense(course: PathCourse | undefined, column: 'calls' | 'selfNs' | 'totalNs', count: number) {
  const values = new Float64Array(count)
  if (course !== undefined) {
    const sparse = course[column]
    for (let cell = 0; cell < sparse.length; cell++) values[course.frame[cell]!] = sparse[cell]!
  }
  return values
}
