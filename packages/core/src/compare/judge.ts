/** How sure a difference is, and what is said of it. */
import { studentQuantile, studentTail } from '../stats/index.ts'
import type { About } from './resample.ts'
import { timesAsMuch, verdictOf, type Difference } from './verdict.ts'

/** Half of a 95 % interval; infinite where there are too few blocks to judge by. */
export const halfOf = (error: number, freedom: number): number =>
  freedom < 1 ? Infinity : error === 0 ? 0 : studentQuantile(0.025, freedom) * error

export const chanceOf = (difference: number, error: number, freedom: number): number =>
  freedom < 1
    ? 1
    : error === 0
      ? difference === 0
        ? 1
        : 0
      : 2 * studentTail(Math.abs(difference) / error, freedom)

/** What is said of a difference, once chance over all that was asked is known. */
export function judge(
  { one, other }: About,
  judged: { difference: number; low: number; high: number },
  trifle: number,
  believed: boolean,
): Pick<Difference, 'verdict' | 'secondsMore'> {
  const verdict = verdictOf(judged, trifle, believed)
  const times = timesAsMuch(judged, trifle)
  const seconds = Math.min(one.seconds, other.seconds)
  return {
    verdict,
    secondsMore:
      verdict !== 'cannot-tell' ? 0 : times === null ? null : Math.max(1, Math.ceil((times - 1) * seconds)),
  }
}
