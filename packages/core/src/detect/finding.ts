/** What a finding is. */
import { FINDING_KINDS, REMEDY_KINDS, type FindingKind, type RemedyKind } from '../lists/kinds.ts'
import type { Evidence } from './gather-evidence.ts'

export { FINDING_KINDS, REMEDY_KINDS, type FindingKind, type RemedyKind }

/** Where a finding's evidence is seen best. */
export const EVIDENCE_VIEWS = ['page', 'ledger', 'spikes', 'memory', 'roster', 'scaling', 'waiting'] as const
export type EvidenceView = (typeof EVIDENCE_VIEWS)[number]

export const CONFIDENCES = ['high', 'medium', 'low'] as const
export type Confidence = (typeof CONFIDENCES)[number]

/** A floor that is too high in most frames, single frames that stick out, or what the machine does to the game. */
export const TROUBLES = ['floor', 'spike', 'machine'] as const
export type Trouble = (typeof TROUBLES)[number]

/** What one detector says. Times in ns; frames are numbers in the study. */
export interface Finding {
  kind: FindingKind
  /** Number of the path it is about; null for whole frames. */
  path: number | null
  trouble: Trouble
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

/** A kind of finding: everything about it, in one file in kinds/. */
export interface Kind {
  /** Also the name of its file. */
  name: FindingKind
  /** Kinds claim paths in this order: what is more particular comes first. */
  order: number
  /** As a heading. */
  words: string
  /** When it is found, in words (docs/findings.md). */
  found: string
  /** What of a frame it counts as the cost. */
  cost: string
  /** Whether what it names is explained by it, so that later kinds have nothing to say about it. */
  claims: boolean
  /** The figures that its rule is made of. */
  limits: Readonly<Record<string, number>>
  detect: Detector
}

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
