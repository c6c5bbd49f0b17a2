/** What an interval is taken for, in every comparison alike. */
export const VERDICTS = ['better', 'worse', 'same', 'cannot-tell'] as const
export type Verdict = (typeof VERDICTS)[number]

/** Differences within this share of the budget are none. */
export const SAME = 0.01
/** Rate of false discoveries, over all that was asked, at which a difference is believed. */
export const BELIEVED = 0.05
/** An interval that leaves 0 out by so much of its half does so in four of five repetitions: 1 + 0.842 ÷ 1.960. */
const POWER = 1.43
const NORMAL_95 = 1.96

/** One figure on both sides: the difference with its 95 % interval. */
export interface Difference {
  before: number
  after: number
  /** Between takes, of times: at equal speed of the machine. */
  difference: number
  low: number
  high: number
  verdict: Verdict
  /** How many more s of recording, on both sides, until it is probably sure; 0 where it is, null where nobody can tell. */
  secondsMore: number | null
}

export interface Judged {
  difference: number
  low: number
  high: number
}

/**
 * Less is better. @param trifle differences within this are none @param believed whether chance is ruled out, after all that
 * was asked
 */
export function verdictOf({ difference, low, high }: Judged, trifle: number, believed: boolean): Verdict {
  if (low >= -trifle && high <= trifle) return 'same'
  if (!believed || (low <= 0 && high >= 0)) return 'cannot-tell'
  return difference < 0 ? 'better' : 'worse'
}

/**
 * How many times as much must be recorded in all until it is probably sure: an interval shrinks with the root of that. Null
 * where there is no interval yet.
 */
export function timesAsMuch({ difference, low, high }: Judged, trifle: number): number | null {
  const half = (high - low) / 2
  if (!Number.isFinite(half) || !(half > 0)) return null
  // What is not sure yet looks larger than it is: shrunk by as much as it may be chance (James and Stein, 1961).
  const z = (Math.abs(difference) / half) * NORMAL_95
  const likely = Math.abs(difference) * Math.max(0, 1 - 1 / z ** 2)
  // Less than what is none is not worth the wait.
  const wanted = Math.max(likely, trifle)
  return wanted > 0 ? ((POWER * half) / wanted) ** 2 : null
}
