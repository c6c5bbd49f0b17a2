import type { Sight } from '../sight.ts'

export const sight: Sight = {
  name: 'roster',
  order: 5,
  load: () => import('./roster-view.tsx').then(({ RosterView }) => RosterView),
}
