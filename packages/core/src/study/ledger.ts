/** A ledger over any set of frames, from the courses: what rollups cannot give, since they know only stretches. */
import {
  countsInTotal,
  DETAIL_SUMS,
  ledgerKey,
  noDetails,
  type LedgerBy,
  type LedgerRow,
} from '../rollup/index.ts'
import { lowerBound, percentileInPlace } from '../stats/index.ts'
import type { PathCourse, Study } from './study.ts'

/** @param use 1 for each frame that counts */
export function ledgerOfFrames(study: Study, use: Uint8Array, by: LedgerBy): LedgerRow[] {
  const groups = new Map<number, PathCourse[]>()
  for (const course of study.courses.values()) {
    const key = ledgerKey(study.paths.get(course.path), by)
    const known = groups.get(key)
    if (known === undefined) groups.set(key, [course])
    else known.push(course)
  }
  const place = new Int32Array(use.length).fill(-1)
  let frames = 0
  use.forEach((is, frame) => {
    if (is === 1) place[frame] = frames++
  })
  const few =
    frames * FEW < use.length ? Uint32Array.from(use.keys()).filter((frame) => use[frame] === 1) : null
  const scope = { place, few, selfNs: new Float64Array(frames), ran: new Uint8Array(frames), by }
  return [...groups]
    .flatMap(([key, courses]) => rowOf(study, key, courses, scope) ?? [])
    .sort((a, b) => b.selfNs - a.selfNs || a.key - b.key)
}

/** Frames that are fewer than one in so many are looked up one by one. */
const FEW = 16

interface Scope {
  /** Which of the frames that count each frame is; −1 for one that does not. */
  place: Int32Array
  /** These frames themselves, where they are few. */
  few: Uint32Array | null
  /** Scratch, used again for each row: one element for each frame that counts. */
  selfNs: Float64Array
  ran: Uint8Array
  by: LedgerBy
}

function rowOf(study: Study, key: number, courses: PathCourse[], scope: Scope): LedgerRow | null {
  const { place, few, selfNs, ran, by } = scope
  selfNs.fill(0)
  ran.fill(0)
  const sums = { calls: 0, selfNs: 0, totalNs: 0 }
  const details = noDetails()
  let worst = { selfNs: -1, frame: 0 }
  for (const course of courses) {
    const addTotal = countsInTotal(study.paths.get(course.path), by)
    const { frame, calls, details: said } = course
    const cells = few === null ? null : cellsIn(frame, few)
    for (let i = 0; i < (cells ?? frame).length; i++) {
      const cell = cells === null ? i : cells[i]!
      const at = place[frame[cell]!]!
      if (at < 0) continue
      sums.calls += calls[cell]!
      sums.selfNs += course.selfNs[cell]!
      if (addTotal) sums.totalNs += course.totalNs[cell]!
      selfNs[at]! += course.selfNs[cell]!
      ran[at] = 1
      if (said !== null) for (const sum of DETAIL_SUMS) details[sum] += said[sum][cell]!
    }
  }
  if (sums.calls === 0) return null
  // In order of time, so that of equal frames the first is the worst.
  place.forEach((at, frame) => {
    if (at >= 0 && ran[at] === 1 && selfNs[at]! > worst.selfNs) worst = { selfNs: selfNs[at]!, frame }
  })
  return {
    key,
    ...sums,
    ...details,
    frames: ran.reduce((count, is) => count + is, 0),
    // Frames in which it did not run count as 0.
    selfP99Ns: percentileInPlace(selfNs, 0.99),
    worstSelfNs: worst.selfNs,
    worstFrame: worst.frame + study.firstFrame,
  }
}

/** The cells of a course, given by its frames, that belong to some of them; both ascending. */
function cellsIn(frame: Uint32Array, wanted: Uint32Array): number[] {
  const cells: number[] = []
  let from = 0
  for (const at of wanted) {
    from = lowerBound(frame, at, from)
    if (frame[from] === at) cells.push(from)
  }
  return cells
}

/** What a set of frames has more than another, each as the mean of a frame: may be negative. */
export function ledgerDifference(
  more: LedgerRow[],
  moreFrames: number,
  less: LedgerRow[],
  lessFrames: number,
): LedgerRow[] {
  const lessOf = new Map(less.map((row) => [row.key, row]))
  const moreOf = new Map(more.map((row) => [row.key, row]))
  const difference = (a: number | undefined, b: number | undefined) =>
    (a ?? 0) / Math.max(1, moreFrames) - (b ?? 0) / Math.max(1, lessFrames)
  return [...new Set([...moreOf.keys(), ...lessOf.keys()])]
    .map((key): LedgerRow => {
      const [a, b] = [moreOf.get(key), lessOf.get(key)]
      const sums = ['calls', 'selfNs', 'totalNs', ...DETAIL_SUMS] as const
      const differences = Object.fromEntries(sums.map((sum) => [sum, difference(a?.[sum], b?.[sum])]))
      return {
        ...(differences as Record<(typeof sums)[number], number>),
        key,
        frames: a?.frames ?? 0,
        selfP99Ns: (a?.selfP99Ns ?? 0) - (b?.selfP99Ns ?? 0),
        worstSelfNs: a?.worstSelfNs ?? 0,
        worstFrame: a?.worstFrame ?? b!.worstFrame,
      }
    })
    .sort((a, b) => b.selfNs - a.selfNs || a.key - b.key)
}
