/** All findings of a study, ranked. */
import { RECORDER_GROUP } from '../format/index.ts'
import { FINDING_LIST } from '../lists/findings.ts'
import type { Evidence } from './gather-evidence.ts'
import type { Finding, FindingKind, Kind } from './finding.ts'

/** Every kind of finding, by name. */
export const FINDINGS = Object.fromEntries(FINDING_LIST.map((kind) => [kind.name, kind])) as Record<
  FindingKind,
  Kind
>

/** Below this share of the budget a finding is folded away. */
export const WORTH_SHOWING = 0.01

/** By which findings are ranked: what could be got back, of a spike in a frame it strikes; of the machine, its cost. */
export function weightNs(finding: Finding): number {
  if (finding.trouble === 'machine') return finding.costNs
  return finding.trouble === 'spike' ? finding.recoverableNsWhereItStrikes : finding.recoverableNs
}

export const isFolded = (finding: Finding, budgetNs: number): boolean =>
  Math.max(weightNs(finding), finding.comingNs) < WORTH_SHOWING * budgetNs

/** Runs of the recorder are no trouble of the game's; what recording costs is told with the take. */
const recordersOwn = ({ study, work }: Evidence): number[] =>
  work.flatMap(({ path }) =>
    study.declarations.marker(path.marker).group === RECORDER_GROUP ? [path.id] : [],
  )

/** Most to be got back first; floor and spike troubles are told apart by `trouble`. */
export function findAll(evidence: Evidence): Finding[] {
  if (evidence.count === 0) return []
  const claimed = new Set(recordersOwn(evidence))
  const findings: Finding[] = []
  for (const { detect, claims } of FINDING_LIST) {
    const found = detect(evidence, claimed)
    findings.push(...found)
    if (!claims) continue
    for (const { path } of found) if (path !== null) claimed.add(path)
  }
  return findings.sort((a, b) => weightNs(b) - weightNs(a))
}
