import { MAIN_LANE } from '../../take/index.ts'
import { ms, plural } from '../../words/index.ts'
import { number, numberOf } from '../input.ts'
import { endEarlier, joinsOf, runNsOf, typicalRunMs } from '../joins.ts'
import { handOverUs } from '../hand-over.ts'
import type { Remedy } from '../remedy.ts'

/** Handing a part over costs this where no job tells, µs. */
const DISPATCH_US = 20
const MOST_PARTS = 16

/** The job that is waited for is done by several at once. */
export const remedy: Remedy = {
  kind: 'split-job',
  order: 20,
  words: 'split job',
  about: 'the job that is waited for is cut into parts that several workers do at once',
  price: 'parts that do not hang on each other, and a core for each',
  effort: 'medium',
  makes:
    'the job’s run ÷ `parts`, and `dispatch` for each part more; the wait at its join ends as much earlier',
  suggests: 'dispatch: median time from handing over to beginning of recorded jobs',
  limits: { DISPATCH_US, MOST_PARTS },
  inputs(site) {
    const joins = joinsOf(site)
    const measured = site.base.once('hand-over', () => handOverUs(site))
    return [
      number('parts', {
        words: 'parts',
        about: `of equal length, each on a lane of its own; the job takes ${ms(typicalRunMs(joins))} at the median`,
        origin: 'assumed',
        suggested: 2,
        least: 1,
        most: MOST_PARTS,
        whole: true,
      }),
      number('dispatch', {
        words: 'cost of handing one over',
        unit: 'µs',
        about:
          measured === null
            ? 'for each part beyond the first; nothing tells when jobs are handed over'
            : 'for each part beyond the first; as the recorded jobs took from being handed over to beginning',
        origin: measured === null ? 'assumed' : 'measured',
        suggested: measured ?? DISPATCH_US,
        most: 100_000,
      }),
    ]
  },
  apply(site, values) {
    const joins = joinsOf(site)
    const parts = numberOf(values, 'parts')
    const dispatchNs = numberOf(values, 'dispatch') * 1000
    const earlierNs = (join: (typeof joins)[number]) =>
      runNsOf(join) * (1 - 1 / parts) - (parts - 1) * dispatchNs
    const lanes =
      site.base.study.declarations.lanes.size - (site.base.study.declarations.lanes.has(MAIN_LANE) ? 1 : 0)
    return endEarlier(site, joins, earlierNs, {
      price: [`${plural(parts, 'part')} must not hang on each other`],
      notes:
        parts > lanes
          ? [`${plural(parts - lanes, 'part')} more than the take has lanes: they need cores of their own`]
          : [],
    })
  },
}
