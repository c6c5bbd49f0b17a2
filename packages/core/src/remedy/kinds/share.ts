import { mean } from '../../stats/index.ts'
import { three } from '../../words/index.ts'
import { number, numberOf } from '../input.ts'
import { outcome, type Remedy } from '../remedy.ts'
import { largest } from '../shares.ts'

/** One run for a group instead of one for each. */
export const remedy: Remedy = {
  kind: 'share',
  order: 15,
  words: 'share',
  about: 'one run for a group instead of one for each member',
  price: 'coarser answers inside a group',
  effort: 'medium',
  makes: '⌈n / group⌉ runs instead of n',
  suggests: '',
  inputs: (site) => [
    number('group', {
      words: 'members of a group',
      about: 'runs of a frame that one run stands for',
      origin: 'assumed',
      suggested: 4,
      least: 1,
      most: Math.max(2, Math.ceil(largest(site.replay.columns(site.workPath).calls))),
      whole: true,
    }),
  ],
  apply(site, values) {
    const group = numberOf(values, 'group')
    const { calls } = site.columns
    const keep = calls.map((runs) => (runs > 0 ? Math.min(1, Math.ceil(runs / group) / runs) : 1))
    return outcome([{ path: site.path, keep }], {
      price: [
        `${three(mean(calls))} runs a frame answer for ${three(group)} each: what differs inside a group is lost`,
      ],
    })
  },
}
