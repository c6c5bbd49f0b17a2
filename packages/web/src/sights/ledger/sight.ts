import type { Sight } from '../sight.ts'

export const sight: Sight = {
  name: 'ledger',
  order: 2,
  load: () => import('./ledger-sight.tsx').then(({ LedgerSight }) => LedgerSight),
}
