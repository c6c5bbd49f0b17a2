import type { Spool } from '../../ingest/spool.ts'
import { notFound, ProblemError } from '../../problem-error.ts'
import { handlers } from './mount.ts'

/** What games have left that could not be taken up by itself. @param spool gives null where nobody looks */
export function leftRoutes(spool: () => Spool | null) {
  const missing = () => notFound('file of that name that a game has left', 'file')
  return handlers({
    'GET /api/left': (context) => {
      context.body = spool()?.list() ?? []
    },

    'POST /api/left/:file': async (context) => {
      const stored = (await spool()?.bringIn(context['params'].file)) ?? null
      if (stored === null) throw missing()
      if (!stored) throw new ProblemError(422, 'it could not be stored; the log says why', 'file')
      context.status = 204
    },

    'DELETE /api/left/:file': (context) => {
      if (spool()?.drop(context['params'].file) !== true) throw missing()
      context.status = 204
    },
  })
}
