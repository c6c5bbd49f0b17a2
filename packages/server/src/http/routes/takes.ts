import { Readable } from 'node:stream'
import Router from '@koa/router'
import type { ExportFormat } from '@lapsus/core/exchange'
import type { Conditions, RecorderFigures } from '@lapsus/core/format'
import type { Context } from 'koa'
import { keepExcerpt } from '../../ingest/excerpt.ts'
import { importTake } from '../../ingest/import.ts'
import { listSetAside, setAsideBytes } from '../../ingest/set-aside.ts'
import { wishFor } from '../../ingest/wishes.ts'
import { exportTake } from '../../queries/export.ts'
import { frameBytes } from '../../store/frames.ts'
import { ledger, ledgerOfScope } from '../../queries/ledger.ts'
import { liveBytes } from '../../queries/live.ts'
import { pageBytes } from '../../queries/page.ts'
import {
  courseBytes,
  diagnosisResponse,
  memoryBytes,
  rosterResponse,
  scalingResponse,
  waitingResponse,
} from '../../queries/studied.ts'
import { listMarks, markFinding } from '../../queries/marks.ts'
import type { Sources, StudyQuery } from '../../diagnosis/studies.ts'
import {
  changeTake,
  deleteTake,
  findTake,
  listDeleted,
  listGames,
  listTakes,
  restoreTake,
  takeDetail,
  takeSummary,
} from '../../queries/takes.ts'
import { notFound, ProblemError } from '../../problem-error.ts'
import type { Recordings } from '../../recordings/recordings.ts'
import {
  CourseParams,
  ExcerptBody,
  FileQuery,
  FrameParams,
  ImportQuery,
  KeepBody,
  LedgerQuery,
  LiveQuery,
  MarkBody,
  parseRequest,
  RecordParams,
  ScalingParams,
  StudyParams,
  TakeChange,
  TakesQuery,
} from '../requests.ts'
import { takeOf } from '../take-of.ts'
import type { Store, TakeRow } from '../../store/store.ts'

const CBOR = 'application/cbor'
const CBOR_SEQUENCE = 'application/cbor-seq'

const FILE_TYPES: Record<ExportFormat, { extension: string; type: string }> = {
  lapsus: { extension: 'lapsus', type: CBOR_SEQUENCE },
  jsonl: { extension: 'jsonl', type: 'application/jsonl' },
  otlp: { extension: 'otlp.json', type: 'application/jsonl' },
  csv: { extension: 'csv', type: 'text/csv' },
}

export function takeRoutes(sources: Sources, recordings: Recordings): Router {
  const { store } = sources
  const router = new Router({ prefix: '/api' })

  router.get('/games', async (context) => {
    context.body = await listGames(store)
  })

  router.get('/takes', async (context) => {
    context.body = await listTakes(store, await parseRequest(TakesQuery, { ...context.query }))
  })

  router.get('/deleted-takes', async (context) => {
    context.body = await listDeleted(store)
  })

  router.post('/imports', async (context) => {
    const options = await parseRequest(ImportQuery, { ...context.query })
    context.body = await importTake(store, context.req, options)
    context.status = 201
  })

  router.get('/takes/:take', async (context) => {
    context.body = await takeDetail(store, await takeOf(store, context))
  })

  router.patch('/takes/:take', async (context) => {
    const row = await takeOf(store, context)
    const { name, note, tags } = await parseRequest(TakeChange, context.request.body)
    await changeTake(row, {
      ...(name === undefined ? {} : { name }),
      ...(note === undefined ? {} : { note }),
      ...(tags === undefined ? {} : { tags }),
    })
    context.body = await takeSummary(store, row)
  })

  router.get('/takes/:take/set-aside/:sequence', async (context) => {
    const row = await takeOf(store, context)
    const { sequence } = await parseRequest(RecordParams, { sequence: context['params'].sequence })
    const record = (await listSetAside(store, row.id)).find((one) => Number(one.sequence) === sequence)
    if (record === undefined) throw notFound(`record ${sequence} that was set aside`, 'sequence')
    context.attachment(`${row.id}.record-${sequence}.cbor`)
    context.type = CBOR
    context.body = Readable.from(setAsideBytes(store, row.id, sequence), { objectMode: false })
  })

  router.delete('/takes/:take', async (context) => {
    await deleteTake(await takeOf(store, context))
    context.status = 204
  })

  router.post('/takes/:take/restore', async (context) => {
    if (!(await restoreTake(store, context['params'].take)))
      throw notFound('deleted take of that name', 'take')
    context.body = await takeSummary(store, await takeOf(store, context))
  })

  router.get('/takes/:take/live', async (context) => {
    const { from } = await parseRequest(LiveQuery, { ...context.query })
    context.body = Buffer.from(await liveBytes(store, await takeOf(store, context), from))
    context.type = CBOR
  })

  router.post('/takes/:take/stop', async (context) => {
    const row = await recordingOf(store, context)
    if (!(await recordings.stopTake(row.id))) await wishFor(store, row.id, { order: 'stop' })
    context.status = 202
    context.body = await takeSummary(store, row)
  })

  router.post('/takes/:take/discard', async (context) => {
    const row = await recordingOf(store, context)
    await wishFor(store, row.id, { order: 'discard' })
    await deleteTake(row)
    void recordings.stopTake(row.id)
    context.status = 204
  })

  router.post('/takes/:take/keep', async (context) => {
    const row = await recordingOf(store, context)
    const { cause } = await parseRequest(KeepBody, context.request.body ?? {})
    await wishFor(store, row.id, { order: 'keep', cause })
    context.status = 202
    context.body = await takeSummary(store, row)
  })

  router.post('/takes/:take/excerpts', async (context) => {
    const row = await takeOf(store, context)
    const excerpt = await parseRequest(ExcerptBody, context.request.body)
    if (excerpt.to < excerpt.from || excerpt.to >= Number(row.frames)) {
      throw new ProblemError(400, `"to" must be from ${excerpt.from} to ${Number(row.frames) - 1}`, 'to')
    }
    const id = await keepExcerpt(store, row, excerpt)
    context.body = await takeSummary(store, (await findTake(store, id))!)
    context.status = 201
  })

  router.get('/takes/:take/frames', async (context) => {
    const row = await takeOf(store, context)
    context.body = await frameBytes(store, row.id)
    context.type = CBOR_SEQUENCE
  })

  router.get('/takes/:take/pages/:frame', async (context) => {
    const row = await takeOf(store, context)
    const { frame } = await parseRequest(FrameParams, { frame: context['params'].frame })
    const page = await pageBytes(store, row, frame)
    if (page === null) throw notFound(`frame ${frame}: the take has ${row.frames}`, 'frame')
    context.body = Buffer.from(page)
    context.type = CBOR
  })

  router.get('/takes/:take/ledger', async (context) => {
    const row = await takeOf(store, context)
    const { from, to, by, recorder, scope, target } = await parseRequest(LedgerQuery, { ...context.query })
    if (to < from) throw new ProblemError(400, `"to" must not be before "from" (${from}), got ${to}`, 'to')
    const figures = recorder === 'without' ? recorderOf(row) : null
    const query = {
      range: { from, to },
      target: target ?? row.target,
      withoutRecorder: recorder === 'without',
    }
    const found =
      scope === 'chosen'
        ? await ledger(store, row, from, to, by, figures)
        : to >= Number(row.frames)
          ? null
          : await ledgerOfScope(sources, row, query, scope, by)
    if (found === null) throw notFound(`frame ${Math.max(from, to)}: the take has ${row.frames}`, 'to')
    context.body = found
  })

  router.get('/takes/:take/file', async (context) => {
    const row = await takeOf(store, context)
    const { format } = await parseRequest(FileQuery, { ...context.query })
    context.attachment(`${row.id}.${FILE_TYPES[format].extension}`)
    context.type = FILE_TYPES[format].type
    context.body = Readable.from(exportTake(store, row, format), { objectMode: false })
  })

  router.get('/takes/:take/diagnosis', async (context) => {
    const row = await takeOf(store, context)
    context.body = await diagnosisResponse(sources, row, await studyQuery(row, context))
  })

  router.put('/takes/:take/marks', async (context) => {
    const row = await takeOf(store, context)
    await markFinding(store, row.gameId, await parseRequest(MarkBody, context.request.body))
    context.body = await listMarks(store, row.gameId)
  })

  router.get('/takes/:take/memory', async (context) => {
    const row = await takeOf(store, context)
    context.body = Buffer.from(await memoryBytes(sources, row, await studyQuery(row, context)))
    context.type = CBOR
  })

  router.get('/takes/:take/roster', async (context) => {
    const row = await takeOf(store, context)
    context.body = await rosterResponse(sources, row, await studyQuery(row, context))
  })

  router.get('/takes/:take/waiting', async (context) => {
    const row = await takeOf(store, context)
    context.body = await waitingResponse(sources, row, await studyQuery(row, context))
  })

  router.get('/takes/:take/scaling', async (context) => {
    const row = await takeOf(store, context)
    const { path, loads } = await parseRequest(ScalingParams, { ...context.query })
    const query = await studyQuery(row, context, ScalingParams)
    context.body = await scalingResponse(sources, row, query, path ?? null, loads?.split(',') ?? null)
  })

  router.get('/takes/:take/course', async (context) => {
    const row = await takeOf(store, context)
    const { paths } = await parseRequest(CourseParams, { ...context.query })
    const query = await studyQuery(row, context, CourseParams)
    context.body = Buffer.from(await courseBytes(sources, row, query, paths.split(',').map(Number)))
    context.type = CBOR
  })

  return router
}

/** Which frames of a take a question is about. */
async function studyQuery(
  row: TakeRow,
  context: Context,
  params: new () => StudyParams = StudyParams,
): Promise<StudyQuery> {
  const { from, to, target, recorder } = await parseRequest(params, { ...context.query })
  const last = Number(row.frames) - 1
  if ((to ?? last) < (from ?? 0) && last >= 0)
    throw new ProblemError(400, `"to" must not be before "from" (${from ?? 0}), got ${to ?? last}`, 'to')
  if (Math.max(from ?? 0, to ?? 0) > Math.max(0, last))
    throw notFound(`frame ${Math.max(from ?? 0, to ?? 0)}: the take has ${row.frames}`, 'to')
  if (recorder === 'without') recorderOf(row)
  const whole = (from ?? 0) === 0 && (to ?? last) === last
  return {
    range: whole ? null : { from: from ?? 0, to: to ?? last },
    target: target ?? row.target,
    withoutRecorder: recorder === 'without',
  }
}

/** @throws ProblemError when the take does not say what its recorder costs */
function recorderOf(row: TakeRow): RecorderFigures {
  const figures = (JSON.parse(row.conditions) as Conditions).recorder
  if (figures === undefined) {
    throw new ProblemError(400, 'the recorder of this take did not say what it costs', 'recorder')
  }
  return figures
}

async function recordingOf(store: Store, context: Context): Promise<TakeRow> {
  const row = await takeOf(store, context)
  if (row.state !== 'recording')
    throw new ProblemError(409, 'the take is not being recorded any more', 'take')
  return row
}
