import { outcome, type Remedy } from '../remedy.ts'

/** The work is removed. */
export const drop: Remedy = {
  kind: 'drop',
  words: 'drop',
  about: 'the work is removed',
  price: 'the feature',
  effort: 'small',
  inputs: (site) => {
    site.demandPath()
    return []
  },
  apply: (site) =>
    outcome([{ path: site.path, keep: site.filled(0) }], {
      price: [`what ${site.name} does is no longer there`],
    }),
}
