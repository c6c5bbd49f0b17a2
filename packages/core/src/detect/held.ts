/** Frames whose work fits and that are late all the same. */
import { mean, median, sum } from '../stats/index.ts'
import { classOf, longestWait, type WaitReason } from '../take/index.ts'
import type { Evidence } from './gather-evidence.ts'
import { costsOf, worstFrames, type Finding, type FindingKind, type RemedyKind } from './finding.ts'
import { msOf, overAll, plural, share } from './sentences.ts'

const LEAST_SHARE = 0.01
const LEAST_FRAMES = 3
export const HELD_LIMITS = { LEAST_SHARE, LEAST_FRAMES }

/** @param advice what follows from it, in words */
export function heldBy(
  evidence: Evidence,
  reason: WaitReason,
  { kind, advice, remedies }: { kind: FindingKind; advice: string; remedies: RemedyKind[] },
): Finding[] {
  const { study, budgetNs, count } = evidence
  const { frames } = study
  const held: number[] = []
  for (let frame = 0; frame < count; frame++) {
    if (classOf(frames, frame, budgetNs) === 'held' && longestWait(frames, frame) === reason) held.push(frame)
  }
  if (held.length < Math.max(LEAST_FRAMES, LEAST_SHARE * count)) return []
  const lateBy = held.map((frame) => frames.durationNs[frame]! - budgetNs)
  const workNs = median(held.map((frame) => frames.workNs[frame]!))
  const waitNs = median(held.map((frame) => frames.waitNs[reason][frame]!))
  const waits = [...study.courses.values()].filter(
    ({ path }) => study.paths.get(path).kind === `wait:${reason}`,
  )
  return [
    {
      kind,
      path: waits[0]?.path ?? null,
      text:
        `${plural(held.length, 'frame')} (${share(held.length / count)}) are late by ${msOf(median(lateBy))} though their work takes only ${msOf(workNs)} ` +
        `of ${msOf(budgetNs)}: they wait ${msOf(waitNs)} for ${reason}. ${advice} ${overAll(evidence, mean(lateBy), held.length)}`,
      ...costsOf(evidence, { sumNs: sum(lateBy), strikes: held.length }),
      confidence: waits.length > 0 ? 'high' : 'low',
      because: 'work and waiting are told apart by the kinds of the markers',
      frames: worstFrames(held, lateBy),
      remedies,
      view: 'waiting',
      subject: '',
      load: null,
    },
  ]
}
