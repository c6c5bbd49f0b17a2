import { DETAIL_SUMS, type CourseDetails } from '../rollup/index.ts'
import { picked, pickFrames } from '../take/index.ts'
import { frameCount, type PathCourse, type Study } from './study.ts'

/**
 * The chosen frames of a study as one of their own, though they need not follow one another: where some are missing a stretch
 * begins. Jobs are all kept.
 * @param isChosen 1 for those that are
 */
export function pickOfStudy(study: Study, isChosen: Uint8Array): Study {
  const at = Uint32Array.from([...isChosen.keys()].filter((frame) => isChosen[frame] === 1))
  if (at.length === frameCount(study)) return study
  const place = new Int32Array(isChosen.length).fill(-1)
  at.forEach((frame, i) => (place[frame] = i))
  const series = <T extends object>(all: Map<number, T>) =>
    new Map([...all].map(([id, columns]) => [id, pickAll(columns, at)]))
  const begins = new Set(study.stretches)
  const stretches = [...at.keys()].filter((i) => i > 0 && (at[i]! !== at[i - 1]! + 1 || begins.has(at[i]!)))
  return {
    ...study,
    frames: pickFrames(study.frames, at),
    courses: new Map(
      [...study.courses].flatMap(([path, course]) => {
        const own = pickCourse(course, place)
        return own.frame.length === 0 ? [] : [[path, own]]
      }),
    ),
    gauges: new Map([...study.gauges].map(([id, values]) => [id, picked(values, at)])),
    watches: series(study.watches),
    lives: series(study.lives),
    updaters: series(study.updaters),
    moments: study.moments.flatMap((moment) =>
      place[moment.frame]! < 0 ? [] : [{ ...moment, frame: place[moment.frame]! }],
    ),
    stretches,
  }
}

function pickCourse(course: PathCourse, place: Int32Array): PathCourse {
  const cells = Uint32Array.from([...course.frame.keys()].filter((cell) => place[course.frame[cell]!]! >= 0))
  return {
    path: course.path,
    frame: picked(course.frame, cells).map((frame) => place[frame]!),
    calls: picked(course.calls, cells),
    selfNs: picked(course.selfNs, cells),
    totalNs: picked(course.totalNs, cells),
    details:
      course.details === null
        ? null
        : (Object.fromEntries(
            DETAIL_SUMS.map((sum) => [sum, picked(course.details![sum], cells)]),
          ) as unknown as CourseDetails),
  }
}

const pickAll = <T extends object>(columns: T, at: Uint32Array): T =>
  Object.fromEntries(
    Object.entries(columns).map(([name, column]) => [name, picked(column as Float64Array, at)]),
  ) as T
