/** Variants of the same code, used in turn: what drifts over a take strikes them alike. */
import { LIMITS } from '@lapsus/core/format'
import { shortName } from './given.ts'

/** Frames of a block where nothing else is said: about a second. */
const BLOCK_FRAMES = 60

/** The names that can be told apart; none of what is no list. */
export function namedVariants(variants: unknown): string[] {
  if (!Array.isArray(variants)) return []
  return [...new Set(variants.slice(0, LIMITS.variants).map(shortName))]
}

/** Which variant is to be used. It changes between frames, never within one. */
export class Trial {
  readonly #variants: readonly string[]
  readonly #frames: number
  /** Variants that are left of this round, each of which is used once: rounds differ in order only. */
  #round: number[] = []
  #index = 0
  #left = 0

  /** @param frames length of a block; not given, or no number, as usual */
  constructor(variants: readonly string[], frames: number | undefined) {
    this.#variants = variants
    this.#frames = frames !== undefined && frames >= 1 ? Math.floor(frames) : BLOCK_FRAMES
  }

  /** The variant to use now; empty where there is none. */
  get now(): string {
    return this.#variants[this.#index] ?? ''
  }

  /** Whether this is the one to use now. */
  is(variant: string): boolean {
    return this.now === variant
  }

  /** A frame begins. @returns the number of the variant that is used in it */
  turn(): number {
    if (this.#left === 0) {
      if (this.#round.length === 0) this.#round = shuffled(this.#variants.length)
      this.#index = this.#round.pop()!
      this.#left = this.#frames
    }
    this.#left--
    return this.#index
  }
}

/** The numbers below `count` in random order (Fisher and Yates). */
function shuffled(count: number): number[] {
  const order = Array.from({ length: count }, (_, i) => i)
  for (let i = count - 1; i > 0; i--) {
    const other = Math.floor(Math.random() * (i + 1))
    ;[order[i], order[other]] = [order[other]!, order[i]!]
  }
  return order
}
