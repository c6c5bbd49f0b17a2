import { handlers } from './mount.ts'
import type { Retention } from '../../config.ts'
import { storageReport } from '../queries/retention.ts'
import type { Store } from '../../store/store.ts'

/** How much is used, and which takes leave by themselves. */
export function storageRoutes(store: Store, retention: Retention) {
  return handlers({
    'GET /api/storage': async (context) => {
      context.body = await storageReport(store, retention)
    },
  })
}
