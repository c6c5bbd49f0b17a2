import { Readable } from 'node:stream'
import Router from '@koa/router'
import type { Context } from 'koa'
import type { Sequelize } from 'sequelize'
import { importTake } from '../../ingest/import.ts'
import type { TakeRow } from '../../database/models.ts'
import { exportTake } from '../../queries/export.ts'
import { frameBytes } from '../../queries/frames.ts'
import { ledger } from '../../queries/ledger.ts'
import { pageBytes } from '../../queries/page.ts'
import {
  changeTake,
  deleteTake,
  findTake,
  listGames,
  listTakes,
  restoreTake,
  takeDetail,
  takeSummary,
} from '../../queries/takes.ts'
import { notFound, ProblemError } from '../../problem-error.ts'
import { FrameParams, LedgerQuery, parseRequest, TakeChange, TakesQuery } from '../requests.ts'

const CBOR = 'application/cbor'
const CBOR_SEQUENCE = 'application/cbor-seq'

export function takeRoutes(database: Sequelize): Router {
  const router = new Router({ prefix: '/api' })

  router.get('/games', async (context) => {
    context.body = await listGames()
  })

  router.get('/takes', async (context) => {
    const { game } = await parseRequest(TakesQuery, { ...context.query })
    context.body = await listTakes(game)
  })

  router.post('/imports', async (context) => {
    context.body = await importTake(database, context.req)
    context.status = 201
  })

  router.get('/takes/:take', async (context) => {
    context.body = await takeDetail(await takeOf(context))
  })

  router.patch('/takes/:take', async (context) => {
    const row = await takeOf(context)
    const { name, note } = await parseRequest(TakeChange, context.request.body)
    await changeTake(row, {
      ...(name === undefined ? {} : { name }),
      ...(note === undefined ? {} : { note }),
    })
    context.body = await takeSummary(row)
  })

  router.delete('/takes/:take', async (context) => {
    await deleteTake(await takeOf(context))
    context.status = 204
  })

  router.post('/takes/:take/restore', async (context) => {
    if (!(await restoreTake(context['params'].take))) throw notFound('deleted take of that name', 'take')
    context.body = await takeSummary(await takeOf(context))
  })

  router.get('/takes/:take/frames', async (context) => {
    const row = await takeOf(context)
    context.body = await frameBytes(row.id)
    context.type = CBOR_SEQUENCE
  })

  router.get('/takes/:take/pages/:frame', async (context) => {
    const row = await takeOf(context)
    const { frame } = await parseRequest(FrameParams, { frame: context['params'].frame })
    const page = await pageBytes(row.id, frame)
    if (page === null) throw notFound(`frame ${frame}: the take has ${row.frames}`, 'frame')
    context.body = Buffer.from(page)
    context.type = CBOR
  })

  router.get('/takes/:take/ledger', async (context) => {
    const row = await takeOf(context)
    const { from, to, by } = await parseRequest(LedgerQuery, { ...context.query })
    if (to < from) throw new ProblemError(400, `"to" must not be before "from" (${from}), got ${to}`, 'to')
    const found = await ledger(row.id, from, to, by)
    if (found === null) throw notFound(`frame ${Math.max(from, to)}: the take has ${row.frames}`, 'to')
    context.body = found
  })

  router.get('/takes/:take/file', async (context) => {
    const row = await takeOf(context)
    context.attachment(`${row.id}.lapsus`)
    context.type = CBOR_SEQUENCE
    context.body = Readable.from(exportTake(row), { objectMode: false })
  })

  return router
}

async function takeOf(context: Context): Promise<TakeRow> {
  const row = await findTake(context['params'].take)
  if (row === null) throw notFound('take of that name', 'take')
  return row
}
