/** What detection found, as it is told to others: frames are numbers in the take, times ms, paths with names. */
import type { Evidence } from './evidence.ts'
import type { FamilyMoment } from './families.ts'
import { findAll, isFolded } from './find.ts'
import type { Confidence, EvidenceView, Finding, FindingKind, RemedyKind } from './finding.ts'
import { collectionKinds, type CollectionKind } from './memory.ts'
import type { Cause, Spike, Why } from './spikes.ts'

export interface FindingReport {
  /** The same for the same trouble in every take of the game. */
  id: string
  kind: FindingKind
  /** Number of the path; null where it is about whole frames. */
  pathId: number | null
  /** Names from the outermost marker to the path's own; empty where it is about whole frames. */
  path: string[]
  trouble: Finding['trouble']
  text: string
  costMsPerFrame: number
  recoverableMsPerFrame: number
  /** In the frames it strikes, on average. */
  costMsWhereItStrikes: number
  recoverableMsWhereItStrikes: number
  /** What it will cost a frame after ten more minutes like these, if it grows; 0 for what does not. */
  comingMs: number
  confidence: Confidence
  because: string
  frames: number[]
  remedies: RemedyKind[]
  view: EvidenceView
  subject: string
  gauge: number | null
  /** Below 1 % of the budget. */
  small: boolean
}

export interface CauseReport {
  /** Null, and no names, for time outside any marker. */
  pathId: number | null
  path: string[]
  excessMs: number
  selfMs: number
  usualMs: number
  calls: number
  usualCalls: number
  why: Why
}

export interface SpikeReport {
  /** The worst frame of the episode. */
  frame: number
  fromFrame: number
  toFrame: number
  workMs: number
  durationMs: number
  /** More than the middle of the frames around: work, or duration if held. */
  excessMs: number
  /** The excess of all frames of the episode. */
  severityMs: number
  /** Its work fits the budget: it waited. */
  held: boolean
  typicalFrame: number
  /** Number of the family, the costliest first; null for one unlike the others. */
  family: number | null
  /** What the family follows; null where nothing explains when it comes. */
  moment: string | null
  causes: CauseReport[]
}

export interface FamilyReport {
  spikes: number
  held: boolean
  meanExcessMs: number
  causes: CauseReport[]
  period: { ms: number; spreadMs: number } | null
  moment: FamilyMoment | null
}

export interface CollectionReport {
  kind: string
  count: number
  perMinute: number
  totalMs: number
  medianMs: number
  worstMs: number
  worstFrame: number
  everyMs: number | null
  /** Who allocated what was collected, most first; empty where bytes are not recorded. */
  blame: { pathId: number; path: string[]; share: number }[]
}

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
    gauge: finding.gauge,
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
      causes: spike.causes.map((cause) => causeReport(evidence, cause)),
    }
  })
}

export const familyReports = (evidence: Evidence): FamilyReport[] =>
  evidence.families.map(({ spikes, held, meanExcessNs, causes, period, moment }) => ({
    spikes: spikes.length,
    held,
    meanExcessMs: inMs(meanExcessNs),
    causes: causes.map((cause) => causeReport(evidence, cause)),
    period,
    moment,
  }))

/** The most of one kind's blame that is worth naming. */
const MOST_BLAMED = 12

export const collectionReports = (evidence: Evidence, kinds: CollectionKind[] = collectionKinds(evidence)) =>
  kinds.map((kind): CollectionReport => ({
    kind: kind.kind,
    count: kind.count,
    perMinute: kind.perMinute,
    totalMs: inMs(kind.totalNs),
    medianMs: inMs(kind.medianNs),
    worstMs: inMs(kind.worstNs),
    worstFrame: kind.worstFrame + evidence.study.firstFrame,
    everyMs: kind.everyMs,
    blame: kind.blame
      .slice(0, MOST_BLAMED)
      .map(({ path, share }) => ({ pathId: path, path: evidence.names(path), share })),
  }))
