import { ms, percent } from '../../words/index.ts'
import { number, numberOf } from '../input.ts'
import { endEarlier, joinsOf, runNsOf, typicalRunMs } from '../joins.ts'
import type { Remedy } from '../remedy.ts'

/** The job that is waited for takes less. */
export const remedy: Remedy = {
  kind: 'shrink-job',
  order: 19,
  words: 'smaller job',
  about: 'the job that is waited for does less, or does it faster',
  price: 'the author’s word: how much of the job need not be',
  effort: 'medium',
  makes: 'the job’s run times `left`; the wait at its join ends as much earlier',
  suggests: '',
  inputs: (site) => [
    number('left', {
      words: 'share of the job left',
      unit: '%',
      about: `share of its run that is still needed; it takes ${ms(typicalRunMs(joinsOf(site)))} at the median`,
      origin: 'assumed',
      suggested: 50,
      most: 100,
    }),
  ],
  apply(site, values) {
    const joins = joinsOf(site)
    const left = numberOf(values, 'left') / 100
    const earlierNs = (join: (typeof joins)[number]) => runNsOf(join) * (1 - left)
    return endEarlier(site, joins, earlierNs, {
      price: [`${percent(1 - left)} of the job must go: nothing of this is measured`],
    })
  },
}
