import type { Sight } from '../sight.ts'

export const sight: Sight = {
  name: 'frame',
  order: 1,
  load: () => import('./frame-sight.tsx').then(({ FrameSight }) => FrameSight),
}
