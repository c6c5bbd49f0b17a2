/** What every figure of a comparison is told from: the sides, and draws of moving blocks from both. */
import { CELLS_A_BLOCK, type Side } from './series.ts'

/** One draw of moving blocks on each side, by the cells in which they begin. */
export interface Resample {
  startsBefore: Uint32Array
  startsAfter: Uint32Array
  weightsBefore: Float64Array
  weightsAfter: Float64Array
  speed: number
}

export interface Speed {
  /** How many times as long unchanged work takes after. */
  ratio: number
  low: number
  high: number
  /** Paths that tell; 0 where too few do, and nothing is taken out. */
  telling: number
}

export interface About {
  one: Side
  other: Side
  freedom: number
  speed: Speed
  budgetNs: number
  resamples: Resample[]
}

/** How often each cell is in a resample. */
export function weightsOf({ cells }: Side, starts: Uint32Array): Float64Array {
  const weights = new Float64Array(cells.length)
  for (const start of starts) for (let i = 0; i < CELLS_A_BLOCK; i++) weights[(start + i) % cells.length]!++
  return weights
}

export function weighted(values: Float64Array, weights: Float64Array): number {
  let sum = 0
  for (let cell = 0; cell < values.length; cell++) sum += values[cell]! * weights[cell]!
  return sum
}
