import Router from '@koa/router'
import type { Load } from '../load.ts'

/** How busy the server is. */
export function loadRoutes(load: Load): Router {
  const router = new Router({ prefix: '/api' })
  router.get('/load', (context) => {
    context.body = load.report
  })
  return router
}
