import { Readable } from 'node:stream'
import Router from '@koa/router'
import { exporter, type ExportFormat } from '@lapsus/core/exchange'
import { plural } from '@lapsus/core/words'
import { keepExcerpt } from '../../ingest/keep-excerpt.ts'
import { importTakes } from '../../ingest/import.ts'
import { listSetAside, setAsideBytes } from '../../ingest/set-aside.ts'
import { notFound, ProblemError } from '../../problem-error.ts'
import { frameBytes } from '../../store/frames.ts'
import { takeRecords } from '../../store/records.ts'
import type { Store, TakeRow } from '../../store/store.ts'
import { findTake, takeSummary } from '../queries/takes.ts'
import { ArchiveQuery, ExcerptBody, FileQuery, ImportQuery, parseRequest, RecordParams } from '../requests.ts'
import { takeOf, takesOf } from '../take-of.ts'

const CBOR = 'application/cbor'
const CBOR_SEQUENCE = 'application/cbor-seq'

const FILE_TYPES: Record<ExportFormat, { extension: string; type: string }> = {
  lapsus: { extension: 'lapsus', type: CBOR_SEQUENCE },
  jsonl: { extension: 'jsonl', type: 'application/jsonl' },
  otlp: { extension: 'otlp.json', type: 'application/jsonl' },
  csv: { extension: 'csv', type: 'text/csv' },
}

/** Takes as files, whole or in part, in and out. */
export function fileRoutes(store: Store): Router {
  const router = new Router({ prefix: '/api' })

  router.post('/imports', async (context) => {
    const options = await parseRequest(ImportQuery, { ...context.query })
    const [first, ...others] = await importTakes(store, context.req, options)
    context.body = { ...first!, others }
    context.status = 201
  })

  router.get('/takes/:take/file', async (context) => {
    const row = await takeOf(store, context)
    const { format } = await parseRequest(FileQuery, { ...context.query })
    context.attachment(`${row.id}.${FILE_TYPES[format].extension}`)
    context.type = FILE_TYPES[format].type
    context.body = Readable.from(pieces(store, row, format), { objectMode: false })
  })

  router.get('/archives', async (context) => {
    const { takes, format } = await parseRequest(ArchiveQuery, { ...context.query })
    const rows = await takesOf(store, takes, 'takes')
    context.attachment(
      `lapsus-${plural(rows.length, 'take').replace(' ', '-')}.${FILE_TYPES[format].extension}`,
    )
    context.type = FILE_TYPES[format].type
    context.body = Readable.from(oneAfterAnother(store, rows, format), { objectMode: false })
  })

  router.get('/takes/:take/frames', async (context) => {
    const row = await takeOf(store, context)
    context.body = await frameBytes(store, row.id)
    context.type = CBOR_SEQUENCE
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

  return router
}

async function* oneAfterAnother(
  store: Store,
  rows: readonly TakeRow[],
  format: ExportFormat,
): AsyncGenerator<Uint8Array | string> {
  for (const row of rows) yield* pieces(store, row, format)
}

/** A stored take in one of the formats, piece by piece. */
async function* pieces(
  store: Store,
  row: TakeRow,
  format: ExportFormat,
): AsyncGenerator<Uint8Array | string> {
  const write = exporter(format)
  for await (const record of takeRecords(store, row)) {
    const piece = write(record)
    if (piece.length > 0) yield piece
  }
}
