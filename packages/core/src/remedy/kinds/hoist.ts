import { sum } from '../../stats/index.ts'
import { percent, three } from '../../words/index.ts'
import { outcome, Refusal, type Remedy } from '../remedy.ts'
import { keepWithout } from '../shares.ts'

/** The first run of a key in a frame is kept, others with the same answer are dropped. */
export const remedy: Remedy = {
  kind: 'hoist',
  order: 8,
  words: 'hoist',
  about: 'asked once in a frame, the answer is kept for everyone who asks again',
  price: 'none',
  effort: 'small',
  makes: 'T less the time of repeated runs',
  suggests: '',
  inputs(site) {
    if (sum(site.base.columns(site.workPath).repeatedNs) > 0) return []
    const details = site.base.study.courses.get(site.path)?.details ?? null
    throw new Refusal(
      details === null
        ? `the runs of ${site.name} give no key, so nobody knows which are the same`
        : `no run of ${site.name} repeats, with the same key and answer, what was asked before in its frame`,
    )
  },
  apply(site) {
    const { repeatedNs } = site.columns
    const tree = site.treeNs()
    return outcome([{ path: site.path, keep: keepWithout(tree, repeatedNs), clears: 'repeated' }], {
      notes: [
        `${percent(sum(repeatedNs) / Math.max(1, sum(tree)))} of its time repeats what was known; ` +
          `${three(sum(repeatedNs) / 1e6 / Math.max(1, site.count))} ms a frame`,
      ],
    })
  },
}
