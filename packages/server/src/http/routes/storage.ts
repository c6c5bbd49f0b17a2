import Router from '@koa/router'
import type { Retention } from '../../config.ts'
import { storageReport } from '../../queries/retention.ts'

/** How much is used, and which takes leave by themselves. */
export function storageRoutes(retention: Retention): Router {
  const router = new Router({ prefix: '/api' })
  router.get('/storage', async (context) => {
    context.body = await storageReport(retention)
  })
  return router
}
