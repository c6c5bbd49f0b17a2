/** What a finding is. */
import { FINDING_KINDS, REMEDY_KINDS, type FindingKind, type RemedyKind } from '../lists/kinds.ts'
import type { Evidence } from './gather-evidence.ts'

export { FINDING_KINDS, REMEDY_KINDS, type FindingKind, type RemedyKind }

/** Where a finding's evidence is seen best. */
export const FINDING_VIEWS = ['page', 'ledger', 'spikes', 'memory', 'roster', 'scaling', 'waiting'] as const
export type FindingView = (typeof FINDING_VIEWS)[number]

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
  view: FindingView
  /** What tells it from others of its kind and path: a class, a gauge, a moment; empty where nothing does. */
  subject: string
  /** For a scaling view: the load to plot against (loads.ts); null where there is none. */
  load: string | null
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

/** What strikes in this share of the frames raises their floor; what strikes in fewer sticks out. */
export const FLOOR = 0.5

interface Spent {
  /** Over all the frames it is about, ns. */
  sumNs: number
  /** In how many frames it strikes. */
  strikes: number
  /** Of the sum, what could be got back; all of it if not given. */
  recoverableNs?: number
  /** Decided by the share of the frames that it strikes in, if not given. */
  trouble?: Trouble
}

/**
 * The one rule of costs: a frame costs the sum over the frames it is about ÷ all frames; where it strikes, the same sum
 * ÷ the frames it strikes in; and what could be got back is never more than what it costs.
 */
export function costsOf(
  { count }: Pick<Evidence, 'count'>,
  { sumNs, strikes, recoverableNs = sumNs, trouble }: Spent,
): Costs {
  const frames = Math.max(1, count)
  const struck = Math.min(frames, Math.max(1, strikes))
  const backNs = Math.max(0, Math.min(sumNs, recoverableNs))
  return {
    trouble: trouble ?? (struck >= FLOOR * frames ? 'floor' : 'spike'),
    costNs: sumNs / frames,
    costNsWhereItStrikes: sumNs / struck,
    recoverableNs: backNs / frames,
    recoverableNsWhereItStrikes: backNs / struck,
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
