/**
 * What a number will not do for: a remedy says in plain marks what is to be seen, and whoever has a canvas draws it.
 * Nothing here knows of any remedy.
 */

/** What a mark stands for; the colour is the drawer's. */
export type Tone = 'work' | 'work-soft' | 'wait' | 'ink' | 'faint'

export interface Picture {
  /** What is seen, for who cannot see it. */
  words: string
  /** Below the picture: what it is a picture of. */
  foot: string
  legend: { words: string; tone: Tone; isLine?: boolean }[]
  /** One above the other. */
  panels: Panel[]
}

/** Values over frames, from left to right; 0 at the foot of the panel, `most` at its top. */
export interface CurvePanel {
  form: 'curves'
  most: number
  /** Drawn in this order. */
  curves: { values: Float64Array; tone: Tone; as: 'area' | 'line' }[]
  /** Written at the left, at the height of a value. */
  labels: { at: number; words: string }[]
}

/** A bar a frame, hanging from the panel's top, where 0 is; `most` at its foot. */
export interface BarPanel {
  form: 'bars'
  most: number
  values: Float64Array
  tone: Tone
  /** Written at the left, one below the other. */
  labels: string[]
  /** A dashed line across. */
  line?: { at: number; tone: Tone }
}

/** Columns beside each other, in which time runs down from 0 to `most`. */
export interface LanePanel {
  form: 'lanes'
  most: number
  lanes: { name: string; blocks: { from: number; to: number; tone: Tone }[] }[]
  /** A line across all of them. */
  line: { at: number; words: string }
  labels: { at: number; words: string }[]
}

/** Lengths below each other, each with its words behind it; `most` is the whole width. */
export interface LengthPanel {
  form: 'lengths'
  most: number
  rows: { words: string; lengths: { value: number; tone: Tone; words: string }[] }[]
}

export type Panel = CurvePanel | BarPanel | LanePanel | LengthPanel

/** Room above the largest value. */
export const HEADROOM = 1.08
/** Below this everything is nothing: what a scale is made of must not be. */
const NOTHING = 1e-9

/** The largest value of all columns; 1 where all are nothing. */
export function largestOf(...columns: ArrayLike<number>[]): number {
  let most = 0
  for (const values of columns)
    for (let i = 0; i < values.length; i++) if (values[i]! > most) most = values[i]!
  return most > NOTHING ? most : 1
}
