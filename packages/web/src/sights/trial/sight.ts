import type { Sight } from '../sight.ts'

export const sight: Sight = {
  name: 'trial',
  order: 10,
  fits: ({ detail }) => detail.gauges.some(({ variants }) => variants.length > 0),
  load: () => import('./trial-view.tsx').then(({ TrialView }) => TrialView),
}
