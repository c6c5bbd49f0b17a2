import type { Sight } from '../sight.ts'

export const sight: Sight = {
  name: 'scaling',
  order: 6,
  load: () => import('./scaling-view.tsx').then(({ ScalingView }) => ScalingView),
}
