import type { DatabaseHealth } from '../../store/health.ts'
import { handlers } from './mount.ts'

/** Whether all is well, for whoever watches over this server. */
export function healthRoutes(health: DatabaseHealth) {
  return handlers({
    'GET /health': async (context) => {
      const { status, reason } = await health.check()
      context.status = status === 'ok' ? 200 : 503
      context.body = reason === null ? { status } : { status, reason }
      context.set('Cache-Control', 'no-store')
    },
  })
}
