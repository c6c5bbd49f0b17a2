import type { Sight } from '../sight.ts'

export const sight: Sight = {
  name: 'waiting',
  order: 7,
  load: () => import('./waiting-view.tsx').then(({ WaitingView }) => WaitingView),
}
