/** What a remedy is: everything about it, its picture too, in one file in kinds/. */
import type { RemedyKind } from '../lists/kinds.ts'
import type { Change } from './change.ts'
import type { Input, Values } from './input.ts'
import type { Picture } from './picture.ts'
import type { Site } from './site.ts'

export const EFFORTS = ['small', 'medium', 'large'] as const
export type Effort = (typeof EFFORTS)[number]

export interface Remedy {
  /** Also the name of its file. */
  kind: RemedyKind
  /** Its place where remedies are listed. */
  order: number
  /** Its name, and what it does, where people see it. */
  words: string
  about: string
  /** What it costs by its nature. */
  price: string
  /** How much work it usually is. */
  effort: Effort
  /** What it makes of a frame, and what of its inputs the take suggests (docs/plan.md). */
  makes: string
  suggests: string
  /** The figures that it judges by. */
  limits?: Readonly<Record<string, number>>
  /**
   * What must be known, with what the take suggests.
   * @param set values that somebody set, which what is suggested for others may hang on
   * @throws Refusal when it makes no sense here
   */
  inputs(site: Site, set: Values): Input[]
  /** What it would do. Reads the site, changes nothing. @throws Refusal when these values cannot be */
  apply(site: Site, values: Values): Outcome
}

export interface Outcome {
  changes: Change[]
  /** What it costs here, in words with figures. */
  price: string[]
  /** What to know besides. */
  notes: string[]
  /** Memory held on top, bytes. */
  memoryBytes: number
  /** Age of what is shown, ms: over the frames in which it would have been worked out anew. */
  stalenessMs: { mean: number; worst: number }
  /** Frames from needing a result to having it. */
  latencyFrames: { mean: number; worst: number }
  picture: Picture | null
  /** Facts used up, so that no other remedy counts on them. */
  uses: string[]
}

export const outcome = (changes: Change[], more: Partial<Outcome> = {}): Outcome => ({
  changes,
  price: [],
  notes: [],
  memoryBytes: 0,
  stalenessMs: { mean: 0, worst: 0 },
  latencyFrames: { mean: 0, worst: 0 },
  picture: null,
  uses: [],
  ...more,
})

/** A remedy that makes no sense here; the message says why, in words for whoever plans. */
export class Refusal extends Error {}
