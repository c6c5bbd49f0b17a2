import type { Sight } from '../sight.ts'

export const sight: Sight = {
  name: 'proof',
  order: 9,
  load: () => import('./proof-view.tsx').then(({ ProofView }) => ProofView),
}
