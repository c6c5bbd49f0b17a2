import { DETAIL_SUMS, type CourseDetails } from '../rollup/index.ts'
import { lowerBound } from '../stats/index.ts'
import { cutFrames } from '../take/index.ts'
import { frameCount, type PathCourse, type Study } from './study.ts'

/**
 * The frames `from` to before `to` of a study as one of their own. Columns are views on those of the whole;
 * only the frame numbers of the courses are written anew.
 */
export function partOfStudy(study: Study, from: number, to: number): Study {
  if (from === 0 && to === frameCount(study)) return study
  const { frames } = study
  const startNs = frames.startNs[from] ?? 0
  const last = to - 1
  const endNs = last < from ? startNs : frames.startNs[last]! + frames.durationNs[last]!
  const within = (instant: { atNs: number } | null) =>
    instant !== null && instant.atNs >= startNs && instant.atNs <= endNs
  const series = <T extends object>(all: Map<number, T>) =>
    new Map([...all].map(([id, columns]) => [id, cutAll(columns, from, to)]))
  return {
    ...study,
    firstFrame: study.firstFrame + from,
    frames: cutFrames(frames, from, to),
    courses: new Map(
      [...study.courses].flatMap(([path, course]) => {
        const cut = cutCourse(course, from, to)
        return cut.frame.length === 0 ? [] : [[path, cut]]
      }),
    ),
    gauges: new Map([...study.gauges].map(([id, values]) => [id, values.subarray(from, to)])),
    watches: series(study.watches),
    lives: series(study.lives),
    updaters: series(study.updaters),
    jobs: study.jobs.filter(({ dispatched, begun, ended }) => [dispatched, begun, ended].some(within)),
    moments: study.moments
      .filter(({ frame }) => frame >= from && frame < to)
      .map((moment) => ({ ...moment, frame: moment.frame - from })),
    stretches: study.stretches.filter((frame) => frame >= from && frame < to).map((frame) => frame - from),
  }
}

function cutCourse(course: PathCourse, from: number, to: number): PathCourse {
  const cells = cutCells(course, lowerBound(course.frame, from), lowerBound(course.frame, to))
  return { ...cells, frame: cells.frame.map((frame) => frame - from) }
}

/** The cells `first` to before `end` of a course, as views. */
export const cutCells = (course: PathCourse, first: number, end: number): PathCourse => ({
  path: course.path,
  frame: course.frame.subarray(first, end),
  calls: course.calls.subarray(first, end),
  selfNs: course.selfNs.subarray(first, end),
  totalNs: course.totalNs.subarray(first, end),
  details: course.details === null ? null : cutDetails(course.details, first, end),
})

const cutDetails = (details: CourseDetails, from: number, to: number): CourseDetails =>
  Object.fromEntries(
    DETAIL_SUMS.map((sum) => [sum, details[sum].subarray(from, to)]),
  ) as unknown as CourseDetails

const cutAll = <T extends object>(columns: T, from: number, to: number): T =>
  Object.fromEntries(
    Object.entries(columns).map(([name, column]) => [name, (column as Float64Array).subarray(from, to)]),
  ) as T
