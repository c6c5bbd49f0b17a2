import { handlers } from './mount.ts'
import type { Load } from '../load.ts'

/** How busy the server is. */
export function loadRoutes(load: Load) {
  return handlers({
    'GET /api/load': (context) => {
      context.body = load.report
    },
  })
}
