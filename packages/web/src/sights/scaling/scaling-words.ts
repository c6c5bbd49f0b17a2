import type { ScalingAnswer } from '@lapsus/core/questions/scaling'
import { exponentWords } from '@lapsus/core/detect'
import { ms, percent, three } from '@lapsus/core/words'

const LAW_WORDS: Record<string, string> = {
  n: 'in proportion to',
  'n log n': 'a little faster than',
  'n²': 'with the square of',
  'n·m': 'with the product of',
}

/** Below this the law says little. */
const SAYS_LITTLE = 0.5

/** What the fit says, as a sentence. */
export function scalingWords(
  { points, best, exponent, explained, breaksAt, ramp, pathId }: ScalingAnswer,
  name: string,
  loadName: string,
  budgetMs: number,
): string {
  if (points.length === 0) return 'No frame tells of this load.'
  const loads = points.map(({ load }) => load)
  const [least, most] = [Math.min(...loads), Math.max(...loads)]
  if (best === null)
    return `The load hardly varies here (${three(least)} to ${three(most)}), so that nothing can be said about what it does. A load ramp would tell.`
  if (best.law === '1' || exponent === null)
    return `${name} does not depend on ${loadName}, between ${three(least)} and ${three(most)}.`
  const growth = `${name} grows ${LAW_WORDS[best.law]} ${loadName}: ${exponentWords(exponent)}.`
  const doubt =
    explained < SAYS_LITTLE ? ` But that explains only ${percent(explained)} of how it varies.` : ''
  const holds =
    breaksAt === null
      ? ' It stays within the budget for a hundred times the loads seen.'
      : ` ${pathId === null ? 'The floor holds' : `It alone takes the whole budget of ${ms(budgetMs)}, if nothing else ran,`} ${pathId === null ? 'to about' : 'at about'} ${three(breaksAt)} ${loadName}${breaksAt > most ? `; the take has ${three(most)} at most` : ''}.`
  return growth + doubt + holds + (ramp ? '' : most < least * 2 ? ' A load ramp would tell more surely.' : '')
}
