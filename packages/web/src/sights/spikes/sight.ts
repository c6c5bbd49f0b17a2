import type { Sight } from '../sight.ts'

export const sight: Sight = {
  name: 'spikes',
  order: 3,
  load: () => import('./spikes-view.tsx').then(({ SpikesView }) => SpikesView),
}
