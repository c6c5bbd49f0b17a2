import { median } from '../../stats/index.ts'
import { ms } from '../../words/index.ts'
import { number, numberOf } from '../input.ts'
import { endEarlier, joinsOf } from '../joins.ts'
import { Refusal, type Remedy } from '../remedy.ts'

/** The job is handed over earlier in its frame. */
export const remedy: Remedy = {
  kind: 'start-earlier',
  order: 21,
  words: 'start job earlier',
  about: 'the job that is waited for is handed over earlier in the same frame',
  price: 'what it reads must be ready by then',
  effort: 'small',
  makes:
    'the job begins `by` earlier, at most at the frame’s beginning; the wait at its join ends as much earlier',
  suggests: 'by: median time from the frame’s beginning to handing it over',
  inputs(site) {
    const handedMs = median(joinsOf(site).map(({ handedNs }) => Math.max(0, handedNs))) / 1e6
    if (!(handedMs > 0))
      throw new Refusal('the job is handed over as the frame begins: it cannot be earlier in it')
    return [
      number('by', {
        words: 'earlier by',
        unit: 'ms',
        about: `it is handed over ${ms(handedMs)} after the frame’s beginning, at the median`,
        origin: 'measured',
        suggested: handedMs,
        most: Math.max(handedMs, 1_000),
      }),
    ]
  },
  apply(site, values) {
    const joins = joinsOf(site)
    const byNs = numberOf(values, 'by') * 1e6
    const earlierNs = ({ handedNs }: (typeof joins)[number]) => Math.min(byNs, Math.max(0, handedNs))
    return endEarlier(site, joins, earlierNs, {
      price: [`what the job reads must be ready ${ms(byNs / 1e6)} earlier`],
    })
  },
}
