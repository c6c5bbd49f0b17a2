import { notFound } from '../../problem-error.ts'
import type { Jobs } from '../jobs.ts'
import { handlers } from './mount.ts'

/** Long work that is under way. */
export function jobRoutes(jobs: Jobs) {
  return handlers({
    'GET /api/jobs': (context) => {
      context.body = jobs.list()
    },

    'GET /api/jobs/:job': (context) => {
      context.body = jobs.get(context['params'].job) ?? missing()
    },

    'DELETE /api/jobs/:job': (context) => {
      if (!jobs.stop(context['params'].job)) missing()
      context.status = 204
    },
  })
}

function missing(): never {
  throw notFound('job of that number under way', 'job')
}
