import { handlers } from './mount.ts'
import { takeOf } from '../take-of.ts'
import { notFound } from '../../problem-error.ts'
import { listMarks, markFinding } from '../queries/marks.ts'
import {
  changeTake,
  deleteTake,
  listDeleted,
  listTakes,
  miniaturesOf,
  restoreTake,
  takeDetail,
  takeSummary,
} from '../queries/takes.ts'
import { listPictures, pictureOf } from '../queries/pictures.ts'
import { putSourceLines } from '../../ingest/source-lines.ts'
import { MarkBody, MiniaturesQuery, parseRequest, SourceBody, TakeChange, TakesQuery } from '../requests.ts'
import type { Store } from '../../store/store.ts'

/** Takes, as they are listed, named, put aside. */
export function takeRoutes(store: Store) {
  return handlers({
    'GET /api/takes': async (context) => {
      context.body = await listTakes(store, await parseRequest(TakesQuery, { ...context.query }))
    },

    'GET /api/miniatures': async (context) => {
      const { takes } = await parseRequest(MiniaturesQuery, { ...context.query })
      context.body = await miniaturesOf(store, takes)
    },

    'GET /api/deleted-takes': async (context) => {
      context.body = await listDeleted(store)
    },

    'GET /api/takes/:take': async (context) => {
      context.body = await takeDetail(store, await takeOf(store, context))
    },

    'PATCH /api/takes/:take': async (context) => {
      const row = await takeOf(store, context)
      const { name, note, tags, conditions } = await parseRequest(TakeChange, context.request.body)
      await changeTake(row, {
        ...(name === undefined ? {} : { name }),
        ...(note === undefined ? {} : { note }),
        ...(tags === undefined ? {} : { tags }),
        ...(conditions === undefined ? {} : { conditions }),
      })
      context.body = await takeSummary(store, row)
    },

    'GET /api/takes/:take/pictures': async (context) => {
      context.body = await listPictures(store, (await takeOf(store, context)).id)
    },

    'GET /api/takes/:take/pictures/:picture': async (context) => {
      const { id } = await takeOf(store, context)
      const found = await pictureOf(store, id, context['params'].picture)
      if (found === null) throw notFound('picture of that name', 'picture')
      context.type = found.type
      // It never changes; and it came from a game: whatever it is, it is not run.
      context.set('Cache-Control', 'private, max-age=31536000, immutable')
      context.set('Content-Security-Policy', "default-src 'none'; sandbox")
      context.body = found.bytes
    },

    'PUT /api/takes/:take/source': async (context) => {
      const row = await takeOf(store, context)
      const { markers } = await parseRequest(SourceBody, context.request.body)
      await putSourceLines(store, row, markers)
      context.status = 204
    },

    'DELETE /api/takes/:take': async (context) => {
      await deleteTake(await takeOf(store, context))
      context.status = 204
    },

    'POST /api/takes/:take/restore': async (context) => {
      if (!(await restoreTake(store, context['params'].take)))
        throw notFound('deleted take of that name', 'take')
      context.body = await takeSummary(store, await takeOf(store, context))
    },

    'PUT /api/takes/:take/marks': async (context) => {
      const row = await takeOf(store, context)
      await markFinding(store, row.gameId, await parseRequest(MarkBody, context.request.body))
      context.body = await listMarks(store, row.gameId)
    },
  })
}
