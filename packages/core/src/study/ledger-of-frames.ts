/** A ledger over any set of frames, added up from the courses: by the same sums as stored ones, which know only frames in a row. */
import {
  DETAIL_SUMS,
  newCourseDetails,
  rollupTable,
  rowsOf,
  type LedgerBy,
  type LedgerRow,
  type PathCells,
} from '../rollup/index.ts'
import { lowerBound, sum } from '../stats/index.ts'
import type { PathCourse, Study } from './study.ts'

/** Frames that are fewer than one in so many are looked up one by one. */
const FEW = 16

/** @param use 1 for each frame that counts */
export function ledgerOfFrames(study: Study, use: Uint8Array, by: LedgerBy): LedgerRow[] {
  const frames = sum(use)
  const few =
    frames * FEW < use.length ? Uint32Array.from(use.keys()).filter((frame) => use[frame] === 1) : null
  const cells = [...study.courses.values()].map((course): PathCells => {
    const columns = few === null ? course : cellsIn(course, few)
    return { path: course.path, columns, first: 0, end: columns.frame.length }
  })
  const { firstFrame, paths } = study
  return rowsOf(rollupTable(cells, paths, by, { from: 0, to: use.length, firstFrame, use }), frames)
}

/** The cells of a course that belong to some of the frames, which are ascending. */
function cellsIn(course: PathCourse, wanted: Uint32Array): PathCourse {
  const cells: number[] = []
  let from = 0
  for (const at of wanted) {
    from = lowerBound(course.frame, at, from)
    if (course.frame[from] === at) cells.push(from)
  }
  const pick = <T extends Uint32Array | Float64Array>(source: T, target: T): T => {
    cells.forEach((cell, i) => (target[i] = source[cell]!))
    return target
  }
  const { length } = cells
  const picked = course.details === null ? null : newCourseDetails(length)
  if (picked !== null)
    for (const sum of DETAIL_SUMS) pick<Uint32Array | Float64Array>(course.details![sum], picked[sum])
  return {
    path: course.path,
    frame: pick(course.frame, new Uint32Array(length)),
    calls: pick(course.calls, new Uint32Array(length)),
    selfNs: pick(course.selfNs, new Float64Array(length)),
    totalNs: pick(course.totalNs, new Float64Array(length)),
    details: picked,
  }
}
