/** What a trial comes to, as a person would say it. */
import type { Difference, TrialResult, VariantResult } from '../../compare/index.ts'
import { pathNames, type Study } from '../../study/index.ts'
import { ms, plural, three, waitWords } from '../../words/index.ts'

/** Of paths that changed so many are named. */
const NAMED = 2

export function trialSentence(
  study: Study,
  { name, variants, rounds }: TrialResult,
  result: VariantResult,
): string {
  const [base, other] = [variants[0]!, variants[result.variant]!]
  if (rounds < 2)
    return `${name}: ${plural(rounds, 'round')} of “${base}” and “${other}” say nothing yet; two are needed at least.`
  const work = result.frames.find(({ figure }) => figure === 'work')!
  const sure = result.paths
    .filter(({ verdict }) => verdict === 'better' || verdict === 'worse')
    .slice(0, NAMED)
  const paths = sure.map(
    ({ path, difference }) => `${pathNames(study, path).at(-1)} ${differenceWords(difference)}`,
  )
  return `${name}: with “${other}” ${workWords(work)}${paths.length === 0 ? '' : `; ${paths.join(', ')}`}.`
}

function workWords({ difference, low, high, verdict, secondsMore }: Difference): string {
  const range = `95 % sure of ${rangeWords(low, high)}`
  if (verdict === 'same') return `a frame takes as long, to 1 % of the budget`
  if (verdict === 'cannot-tell')
    return (
      `it cannot be told yet whether a frame takes longer (${range})` +
      (secondsMore === null ? '' : `: record about ${waitWords(secondsMore)} more`)
    )
  return `a frame takes ${differenceWords(difference)}, surely (${range})`
}

/** `1.45 to 3.16 ms less`, or `0.3 ms less to 0.5 ms more`. */
function rangeWords(low: number, high: number): string {
  if (high < 0) return `${three(-high)} to ${ms(-low)} less`
  if (low > 0) return `${three(low)} to ${ms(high)} more`
  return `${ms(-low)} less to ${ms(high)} more`
}

const differenceWords = (difference: number): string =>
  `${ms(Math.abs(difference))} ${difference < 0 ? 'less' : 'more'}`
