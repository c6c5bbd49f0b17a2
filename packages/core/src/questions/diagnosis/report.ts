/** What detection found, as it is told to others: frames are numbers in the take, times ms, paths with names. */
import { findAll, isFolded, type Cause, type Evidence, type Finding, type Spike } from '../../detect/index.ts'
import { spellsOf } from '../../study/index.ts'
import type { CauseReport, Diagnosis, FamilyReport, FindingReport, SpikeReport } from './tells.ts'

const inMs = (ns: number): number => ns / 1e6

const idOf = ({ names }: Evidence, { kind, path, subject }: Finding): string =>
  [kind, ...(path === null ? [] : [names(path).join(' > ')]), ...(subject === '' ? [] : [subject])].join(
    ' | ',
  )

export const findingReports = (evidence: Evidence): FindingReport[] =>
  findAll(evidence).map((finding) => ({
    id: idOf(evidence, finding),
    kind: finding.kind,
    pathId: finding.path,
    path: namesOf(evidence, finding.path),
    trouble: finding.trouble,
    text: finding.text,
    costMsPerFrame: inMs(finding.costNs),
    recoverableMsPerFrame: inMs(finding.recoverableNs),
    costMsWhereItStrikes: inMs(finding.costNsWhereItStrikes),
    recoverableMsWhereItStrikes: inMs(finding.recoverableNsWhereItStrikes),
    comingMs: inMs(finding.comingNs),
    confidence: finding.confidence,
    because: finding.because,
    frames: finding.frames.map((frame) => frame + evidence.study.firstFrame),
    remedies: finding.remedies,
    view: finding.view,
    subject: finding.subject,
    load: finding.load,
    small: isFolded(finding, evidence.budgetNs),
  }))

const namesOf = ({ names }: Evidence, path: number | null): string[] => (path === null ? [] : names(path))

const causeReport = (evidence: Evidence, cause: Cause): CauseReport => ({
  pathId: cause.path,
  path: namesOf(evidence, cause.path),
  excessMs: inMs(cause.excessNs),
  selfMs: inMs(cause.selfNs),
  usualMs: inMs(cause.usualNs),
  calls: cause.calls,
  usualCalls: cause.usualCalls,
  why: cause.why,
})

export function spikeReports(evidence: Evidence): SpikeReport[] {
  const { firstFrame } = evidence.study
  const familyOf = new Map(
    evidence.families.flatMap(({ spikes }, family) => spikes.map((spike) => [spike, family] as const)),
  )
  return evidence.spikes.map((spike: Spike, i) => {
    const family = familyOf.get(i) ?? null
    return {
      frame: spike.frame + firstFrame,
      fromFrame: spike.from + firstFrame,
      toFrame: spike.to + firstFrame,
      workMs: inMs(spike.workNs),
      durationMs: inMs(spike.durationNs),
      excessMs: inMs(spike.excessNs),
      severityMs: inMs(spike.severityNs),
      held: spike.held,
      typicalFrame: spike.typicalFrame + firstFrame,
      family,
      moment: family === null ? null : (evidence.families[family]!.moment?.name ?? null),
      machine: spike.machine?.by ?? null,
      causes: spike.causes.map((cause) => causeReport(evidence, cause)),
    }
  })
}

export function machineReport({ study, speed, count }: Evidence): Diagnosis['machine'] {
  const { startNs, durationNs } = study.frames
  const secondsAt = (ns: number) => (ns - (startNs[0] ?? 0)) / 1e9
  return {
    telling: speed.telling.length,
    blockFrames: speed.blockFrames,
    slowness: [...speed.factor],
    spells: spellsOf(speed, count).map(({ from, to, factor }) => ({
      fromFrame: from + study.firstFrame,
      toFrame: to + study.firstFrame,
      fromS: secondsAt(startNs[from]!),
      toS: secondsAt(startNs[to]! + durationNs[to]!),
      factor,
    })),
  }
}

/** @param findings that are told of the same evidence */
export const familyReports = (evidence: Evidence, findings: readonly FindingReport[]): FamilyReport[] =>
  evidence.families.map(({ spikes, held, meanExcessNs, causes, period, moment }) => ({
    spikes: spikes.length,
    held,
    meanExcessMs: inMs(meanExcessNs),
    causes: causes.map((cause) => causeReport(evidence, cause)),
    finding: findingOf(evidence, spikes, findings),
    period,
    moment,
  }))

/** The finding whose frames are spikes of the family. */
function findingOf(
  { spikes, study }: Evidence,
  members: readonly number[],
  findings: readonly FindingReport[],
): string | null {
  const frames = new Set(members.map((spike) => spikes[spike]!.frame + study.firstFrame))
  const found = findings.find(
    ({ trouble, view, frames: [worst] }) => trouble === 'spike' && view === 'spikes' && frames.has(worst!),
  )
  return found?.id ?? null
}
