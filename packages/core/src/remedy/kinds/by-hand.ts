import { number, numberOf } from '../input.ts'
import { outcome, type Remedy } from '../remedy.ts'

/** A factor on a path, on the author's word. */
export const remedy: Remedy = {
  kind: 'by-hand',
  order: 23,
  words: 'by hand',
  about: 'a factor on what the path costs with all inside it, on the word of whoever plans',
  price: 'the author’s word',
  effort: 'medium',
  makes: 'T times `factor`',
  suggests: '',
  inputs: (site) => {
    site.demandPath()
    return [
      number('factor', {
        words: 'factor on its time',
        about: 'what its time is to be multiplied with: 1 changes nothing, 0.5 halves it',
        origin: 'assumed',
        suggested: 0.5,
        most: 10,
      }),
    ]
  },
  apply(site, values) {
    const factor = numberOf(values, 'factor')
    const tree = site.treeNs()
    const keep = site.filled(Math.min(1, factor))
    const put = factor > 1 ? { put: tree.map((ns) => ns * (factor - 1)) } : {}
    return outcome([{ path: site.path, keep, sameRuns: true, keepBytes: site.filled(1), ...put }], {
      price: ['nothing of this is measured: note why you believe it'],
    })
  },
}
