import { outcome, type Remedy } from '../remedy.ts'

/** The work is removed. */
export const remedy: Remedy = {
  kind: 'drop',
  order: 18,
  words: 'drop',
  about: 'the work is removed',
  price: 'the feature',
  effort: 'small',
  makes: 'nothing is left',
  suggests: '',
  inputs: (site) => {
    site.demandPath()
    return []
  },
  apply: (site) =>
    outcome([{ path: site.path, keep: site.filled(0) }], {
      price: [`what ${site.name} does is no longer there`],
    }),
}
