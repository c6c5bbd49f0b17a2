/** All findings of a study, ranked. */
import type { Evidence } from './evidence.ts'
import { FINDING_KINDS, type Detector, type Finding, type FindingKind } from './finding.ts'
import { allPairs } from './kinds/all-pairs.ts'
import { catchUp } from './kinds/catch-up.ts'
import { collectionPauses } from './kinds/collection-pauses.ts'
import { growth } from './kinds/growth.ts'
import { heldByGraphics } from './kinds/held-by-graphics.ts'
import { heldByRefresh } from './kinds/held-by-refresh.ts'
import { hotspots } from './kinds/hotspot.ts'
import { jobWaits } from './kinds/job-wait.ts'
import { lockStep } from './kinds/lock-step.ts'
import { longCalls } from './kinds/long-call.ts'
import { lookupsInUpdates } from './kinds/lookup-in-update.ts'
import { needlessUpdates } from './kinds/needless-updates.ts'
import { polling } from './kinds/polling.ts'
import { repeatedChecks } from './kinds/repeated-check.ts'
import { shifts } from './kinds/shift.ts'
import { spawnChurn } from './kinds/spawn-churn.ts'
import { spikeFamilies } from './kinds/spike-family.ts'
import { steadyAllocation } from './kinds/steady-allocation.ts'

const DETECTORS: Record<FindingKind, Detector> = {
  'spike-family': spikeFamilies,
  'lookup-in-update': lookupsInUpdates,
  'repeated-check': repeatedChecks,
  polling,
  'needless-updates': needlessUpdates,
  'all-pairs': allPairs,
  'spawn-churn': spawnChurn,
  'steady-allocation': steadyAllocation,
  'collection-pauses': collectionPauses,
  'catch-up': catchUp,
  'lock-step': lockStep,
  growth,
  shift: shifts,
  'job-wait': jobWaits,
  'held-by-graphics': heldByGraphics,
  'held-by-refresh': heldByRefresh,
  'long-call': longCalls,
  hotspot: hotspots,
}

/** Below this share of the budget a finding is folded away. */
export const WORTH_SHOWING = 0.01

/** Kinds that are about whole frames, or name a path without explaining its cost. */
const CLAIM_NOTHING: ReadonlySet<FindingKind> = new Set(['spike-family', 'shift', 'collection-pauses'])

/** What could be got back by which findings are ranked: of a spike, in a frame it strikes. */
export const weightNs = (finding: Finding): number =>
  finding.trouble === 'spike' ? finding.recoverableNsWhereItStrikes : finding.recoverableNs

export const isFolded = (finding: Finding, budgetNs: number): boolean =>
  Math.max(weightNs(finding), finding.comingNs) < WORTH_SHOWING * budgetNs

/** Most to be got back first; floor and spike troubles are told apart by `trouble`. */
export function findAll(evidence: Evidence): Finding[] {
  if (evidence.count === 0) return []
  const claimed = new Set<number>()
  const findings: Finding[] = []
  for (const kind of FINDING_KINDS) {
    const found = DETECTORS[kind](evidence, claimed)
    findings.push(...found)
    if (CLAIM_NOTHING.has(kind)) continue
    for (const { path } of found) if (path !== null) claimed.add(path)
  }
  return findings.sort((a, b) => weightNs(b) - weightNs(a))
}
