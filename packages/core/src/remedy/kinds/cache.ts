import { mean, sum } from '../../stats/index.ts'
import { three } from '../../words/index.ts'
import { number, numberOf } from '../input.ts'
import { outcome, type Remedy } from '../remedy.ts'

/** Lookups are done when something is loaded, or changes, and kept. */
export const remedy: Remedy = {
  kind: 'cache',
  order: 9,
  words: 'cache',
  about: 'looked up when loaded or changed, then kept',
  price: 'stale references',
  effort: 'small',
  makes: '`misses` of T, plus `read` for each run that finds what is kept',
  suggests: '',
  inputs: (site) => {
    site.demandWork()
    return [
      number('misses', {
        words: 'runs that still look up',
        unit: '%',
        about: 'share of the runs for which what was kept no longer holds',
        origin: 'assumed',
        suggested: 1,
        most: 100,
      }),
      number('read', {
        words: 'cost of reading what is kept',
        unit: 'µs',
        about: 'time of one run that finds it',
        origin: 'assumed',
        suggested: 0.02,
        most: 100_000,
      }),
    ]
  },
  apply(site, values) {
    const misses = numberOf(values, 'misses') / 100
    const readNs = numberOf(values, 'read') * 1000
    const { calls } = site.columns
    return outcome(
      [
        {
          path: site.path,
          keep: site.filled(misses),
          extraNs: calls.map((runs) => runs * (1 - misses) * readNs),
        },
      ],
      {
        price: [
          'what is kept must be thrown away when it changes, or it is stale',
          `${three(mean(calls) * misses)} lookups a frame are left of ${three(sum(calls) / Math.max(1, site.count))}`,
        ],
      },
    )
  },
}
