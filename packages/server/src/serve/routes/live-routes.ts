import { handlers } from './mount.ts'
import type { Context } from 'koa'
import { wishFor } from '../../ingest/wishes.ts'
import { ProblemError } from '../../problem-error.ts'
import type { Recordings } from '../../recordings/recordings.ts'
import type { Store, TakeRow } from '../../store/store.ts'
import { liveBytes } from '../queries/live-news.ts'
import { deleteTake, takeSummary } from '../queries/takes.ts'
import { KeepBody, LiveQuery, parseRequest } from '../requests.ts'
import { takeOf } from '../take-of.ts'

/** Takes that are being recorded. */
export function liveRoutes(store: Store, recordings: Recordings) {
  return handlers({
    'GET /api/takes/:take/live': async (context) => {
      const { from } = await parseRequest(LiveQuery, { ...context.query })
      context.body = Buffer.from(await liveBytes(store, await takeOf(store, context), from))
      context.type = 'application/cbor'
    },

    'POST /api/takes/:take/stop': async (context) => {
      const row = await recordingOf(store, context)
      if (!(await recordings.stopTake(row.id))) await wishFor(store, row.id, { order: 'stop' })
      context.status = 202
      context.body = await takeSummary(store, row)
    },

    'POST /api/takes/:take/discard': async (context) => {
      const row = await recordingOf(store, context)
      await wishFor(store, row.id, { order: 'discard' })
      await deleteTake(row)
      void recordings.stopTake(row.id)
      context.status = 204
    },

    'POST /api/takes/:take/keep': async (context) => {
      const row = await recordingOf(store, context)
      const { cause } = await parseRequest(KeepBody, context.request.body ?? {})
      await wishFor(store, row.id, { order: 'keep', cause })
      context.status = 202
      context.body = await takeSummary(store, row)
    },
  })
}

async function recordingOf(store: Store, context: Context): Promise<TakeRow> {
  const row = await takeOf(store, context)
  if (row.state !== 'recording')
    throw new ProblemError(409, 'the take is not being recorded any more', 'take')
  return row
}
