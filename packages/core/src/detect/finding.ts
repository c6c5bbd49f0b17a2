/** What a finding is. */
import type { Evidence } from './evidence.ts'

/** Kinds of findings, in the order in which they claim paths: what is more particular comes first. */
export const FINDING_KINDS = [
  'spike-family',
  'lookup-in-update',
  'repeated-check',
  'polling',
  'needless-updates',
  'growth',
  'all-pairs',
  'spawn-churn',
  'steady-allocation',
  'collection-pauses',
  'catch-up',
  'lock-step',
  'shift',
  'job-wait',
  'held-by-graphics',
  'held-by-refresh',
  'long-call',
  'hotspot',
] as const
export type FindingKind = (typeof FINDING_KINDS)[number]

/** Kinds of fixes that can be planned. */
export const REMEDY_KINDS = [
  'pool',
  'reuse',
  'timer',
  'stagger',
  'react',
  'slice',
  'jobs',
  'hoist',
  'cache',
  'bucket',
  'sleep',
  'rate-by-distance',
  'one-manager',
  'limit-steps',
  'share',
  'gate',
  'drop',
  'by-hand',
] as const
export type RemedyKind = (typeof REMEDY_KINDS)[number]

/** Where a finding's evidence is seen best. */
export const EVIDENCE_VIEWS = ['page', 'ledger', 'spikes', 'memory', 'roster', 'scaling', 'waiting'] as const
export type EvidenceView = (typeof EVIDENCE_VIEWS)[number]

export const CONFIDENCES = ['high', 'medium', 'low'] as const
export type Confidence = (typeof CONFIDENCES)[number]

/** What one detector says. Times in ns; frames are numbers in the study. */
export interface Finding {
  kind: FindingKind
  /** Number of the path it is about; null for whole frames. */
  path: number | null
  /** A floor that is too high in most frames, or single frames that stick out. */
  trouble: 'floor' | 'spike'
  /** What, how often, what it costs, what normal would be: with figures. */
  text: string
  /** Mean over all frames. */
  costNs: number
  /** In the frames it strikes, on average; the same as `costNs` for a floor. */
  costNsWhereItStrikes: number
  /** The most that could be got back: mean over all frames, and where it strikes. */
  recoverableNs: number
  recoverableNsWhereItStrikes: number
  /** What it will cost a frame after ten more minutes like these, if it grows; 0 for what does not. */
  comingNs: number
  confidence: Confidence
  /** Why so sure, or not. */
  because: string
  /** Frames to open, the most telling first. */
  frames: number[]
  remedies: RemedyKind[]
  view: EvidenceView
  /** What tells it from others of its kind and path: a class, a gauge, a moment; empty where nothing does. */
  subject: string
  /** For a scaling view: the gauge to plot against. */
  gauge: number | null
}

/** Looks for one kind. @param claimed paths of which something more particular has been said already */
export type Detector = (evidence: Evidence, claimed: ReadonlySet<number>) => Finding[]

type Costs = Pick<
  Finding,
  'trouble' | 'costNs' | 'costNsWhereItStrikes' | 'recoverableNs' | 'recoverableNsWhereItStrikes' | 'comingNs'
>

/** Costs of what runs in most frames: the same everywhere. */
export const floorCosts = (costNs: number, recoverableNs = costNs): Costs => ({
  trouble: 'floor',
  costNs,
  costNsWhereItStrikes: costNs,
  recoverableNs,
  recoverableNsWhereItStrikes: recoverableNs,
  comingNs: 0,
})

/**
 * Costs of what strikes in a few frames.
 * @param whereNs what it costs in one of them, on average
 * @param strikes in how many of the `frames` it does
 * @param recoverable share of it that could be got back, 0 to 1
 */
export const spikeCosts = (whereNs: number, strikes: number, frames: number, recoverable = 1): Costs => {
  const costNs = (whereNs * strikes) / Math.max(1, frames)
  return {
    trouble: 'spike',
    costNs,
    costNsWhereItStrikes: whereNs,
    recoverableNs: costNs * recoverable,
    recoverableNsWhereItStrikes: whereNs * recoverable,
    comingNs: 0,
  }
}

/** The most frames that a finding names. */
export const MOST_FRAMES = 12

/** The frames with the largest values, largest first; those at 0 are left out. */
export function worstFrames(
  frames: ArrayLike<number>,
  values: ArrayLike<number>,
  most = MOST_FRAMES,
): number[] {
  const order = [...Array(frames.length).keys()].filter((i) => values[i]! > 0)
  order.sort((a, b) => values[b]! - values[a]!)
  return order.slice(0, most).map((i) => frames[i]!)
}
