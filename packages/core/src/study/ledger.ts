/** A ledger over any set of frames, from the courses: what rollups cannot give, since they know only stretches. */
import { DETAIL_SUMS, laneKey, type DetailSums, type LedgerBy, type LedgerRow } from '../rollup/index.ts'
import { percentileSorted } from '../stats/index.ts'
import { frameCount, type PathCourse, type Study } from './study.ts'

/** @param use 1 for each frame that counts */
export function ledgerOfFrames(study: Study, use: Uint8Array, by: LedgerBy): LedgerRow[] {
  const groups = new Map<number, PathCourse[]>()
  for (const course of study.courses.values()) {
    const { lane, marker, group } = study.paths.get(course.path)
    const key = by === 'path' ? course.path : laneKey(lane, by === 'marker' ? marker : group)
    const known = groups.get(key)
    if (known === undefined) groups.set(key, [course])
    else known.push(course)
  }
  const frames = use.reduce((sum, is) => sum + is, 0)
  return [...groups]
    .flatMap(([key, courses]) => rowOf(study, key, courses, { use, frames, by }) ?? [])
    .sort((a, b) => b.selfNs - a.selfNs || a.key - b.key)
}

interface Scope {
  use: Uint8Array
  frames: number
  by: LedgerBy
}

function rowOf(
  study: Study,
  key: number,
  courses: PathCourse[],
  { use, frames, by }: Scope,
): LedgerRow | null {
  const selfOfFrame = new Float64Array(frameCount(study)).fill(-1)
  const sums = { calls: 0, selfNs: 0, totalNs: 0 }
  const details = Object.fromEntries(DETAIL_SUMS.map((sum) => [sum, 0])) as unknown as DetailSums
  for (const course of courses) {
    const { outermostOfMarker, outermostOfGroup } = study.paths.get(course.path)
    const addTotal = by === 'path' || (by === 'marker' ? outermostOfMarker : outermostOfGroup)
    for (let cell = 0; cell < course.frame.length; cell++) {
      const frame = course.frame[cell]!
      if (use[frame] === 0) continue
      sums.calls += course.calls[cell]!
      sums.selfNs += course.selfNs[cell]!
      if (addTotal) sums.totalNs += course.totalNs[cell]!
      selfOfFrame[frame] = Math.max(0, selfOfFrame[frame]!) + course.selfNs[cell]!
      if (course.details === null) continue
      for (const sum of DETAIL_SUMS) details[sum] += course.details[sum][cell]!
    }
  }
  if (sums.calls === 0) return null
  let worst = 0
  selfOfFrame.forEach((ns, frame) => {
    if (ns > selfOfFrame[worst]!) worst = frame
  })
  const ran = selfOfFrame.filter((ns) => ns >= 0).sort()
  // Frames in which it did not run count as 0.
  const all = new Float64Array(frames)
  all.set(ran, frames - ran.length)
  return {
    key,
    ...sums,
    ...details,
    frames: ran.length,
    selfP99Ns: percentileSorted(all, 0.99),
    worstSelfNs: selfOfFrame[worst]!,
    worstFrame: worst + study.firstFrame,
  }
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
