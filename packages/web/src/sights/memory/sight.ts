import type { Sight } from '../sight.ts'

export const sight: Sight = {
  name: 'memory',
  order: 4,
  load: () => import('./memory-view.tsx').then(({ MemoryView }) => MemoryView),
}
