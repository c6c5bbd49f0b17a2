import { handlers } from './mount.ts'
import { PassThrough, Readable } from 'node:stream'
import { MessageChannel } from 'node:worker_threads'
import type { ExportFormat } from '@lapsus/core/exchange'
import { plural } from '@lapsus/core/words'
import { listSetAside, setAsideBytes } from '../../ingest/set-aside.ts'
import { notFound, ProblemError } from '../../problem-error.ts'
import { frameBytes } from '../../store/frames.ts'
import type { Store, TakeRow } from '../../store/store.ts'
import { piecesFrom, sendPieces } from '../../threads/byte-pipe.ts'
import type { Context } from 'koa'
import type { Jobs } from '../jobs.ts'
import type { Pool } from '../pool/pool.ts'
import { findTake, takeSummary, titleOf } from '../queries/takes.ts'
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
export function fileRoutes(store: Store, pool: Pool, jobs: Jobs) {
  return handlers({
    'POST /api/imports': async (context) => {
      const { keep: _, ...options } = await parseRequest(ImportQuery, { ...context.query })
      const { port1, port2 } = new MessageChannel()
      void sendPieces(port1, apart(context.req))
      const bytes = context.request.length
      const ask = { kind: 'import', name: options.game ?? '', bytes: bytes ?? Infinity } as const
      const [first, ...others] = await jobs
        .run(context, { ...ask, ofBytes: bytes }, ({ memory }) =>
          pool.run('import', { ...options, port: port2, job: memory }, [port2]),
        )
        .finally(() => port1.close())
      context.body = { ...first!, others }
      context.status = 201
    },

    'GET /api/takes/:take/file': async (context) => {
      const row = await takeOf(store, context)
      const { format } = await parseRequest(FileQuery, { ...context.query })
      context.attachment(`${row.id}.${FILE_TYPES[format].extension}`)
      context.type = FILE_TYPES[format].type
      context.body = await exported(jobs, context, pool, [row], format)
    },

    'GET /api/takes/:take/verification': async (context) => {
      const [row] = await takesOf(store, [context['params'].take], 'take')
      context.body = await pool.run('verify', { take: row!.id })
    },

    'GET /api/archives': async (context) => {
      const { takes, format } = await parseRequest(ArchiveQuery, { ...context.query })
      const rows = await takesOf(store, takes, 'takes')
      context.attachment(
        `lapsus-${plural(rows.length, 'take').replace(' ', '-')}.${FILE_TYPES[format].extension}`,
      )
      context.type = FILE_TYPES[format].type
      context.body = await exported(jobs, context, pool, rows, format)
    },

    'GET /api/takes/:take/frames': async (context) => {
      const row = await takeOf(store, context)
      context.body = await frameBytes(store, row.id)
      context.type = CBOR_SEQUENCE
    },

    'GET /api/takes/:take/set-aside/:sequence': async (context) => {
      const row = await takeOf(store, context)
      const { sequence } = await parseRequest(RecordParams, { sequence: context['params'].sequence })
      const record = (await listSetAside(store, row.id)).find((one) => Number(one.sequence) === sequence)
      if (record === undefined) throw notFound(`record ${sequence} that was set aside`, 'sequence')
      context.attachment(`${row.id}.record-${sequence}.cbor`)
      context.type = CBOR
      context.body = Readable.from(setAsideBytes(store, row.id, sequence), { objectMode: false })
    },

    'POST /api/takes/:take/excerpts': async (context) => {
      const row = await takeOf(store, context)
      const excerpt = await parseRequest(ExcerptBody, context.request.body)
      if (excerpt.to < excerpt.from || excerpt.to >= Number(row.frames)) {
        throw new ProblemError(400, `"to" must be from ${excerpt.from} to ${Number(row.frames) - 1}`, 'to')
      }
      const share = (excerpt.to - excerpt.from + 1) / Number(row.frames)
      const ask = { kind: 'excerpt', name: titleOf(row), bytes: Number(row.storedBytes) * share } as const
      const ofFrames = excerpt.to - excerpt.from + 1
      const id = await jobs.run(context, { ...ask, ofFrames }, ({ memory }) =>
        pool.run('excerpt', { take: row.id, ...excerpt, job: memory }),
      )
      context.body = await takeSummary(store, (await findTake(store, id))!)
      context.status = 201
    },
  })
}

/** A file as a thread makes it. Resolves with its first piece: what fails before that is still answered in words. */
async function exported(
  jobs: Jobs,
  context: Context,
  pool: Pool,
  rows: readonly TakeRow[],
  format: ExportFormat,
): Promise<Readable> {
  const { port1, port2 } = new MessageChannel()
  const sum = (of: (row: TakeRow) => number | string) => rows.reduce((all, row) => all + Number(of(row)), 0)
  const made = jobs.run(
    context,
    {
      ...{ kind: 'export', name: rows.length === 1 ? titleOf(rows[0]!) : plural(rows.length, 'take') },
      ...{ bytes: sum((row) => row.storedBytes), ofFrames: sum((row) => row.frames) },
    },
    ({ memory }) =>
      pool.run('export', { takes: rows.map(({ id }) => id), format, port: port2, job: memory }, [port2]),
  )
  // What fails later ends the file where it is.
  made.catch(() => port1.close())
  const pieces = piecesFrom(port1)
  // What the task comes to counts only where it fails: a piece that is asked for twice would be lost.
  const first = await Promise.race([pieces.next(), made.then(() => new Promise<never>(() => {}))])
  async function* whole(): AsyncGenerator<Buffer> {
    if (first.done === true) return
    yield first.value
    yield* pieces
  }
  const file = Readable.from(whole(), { objectMode: false })
  // A reader that is gone before it took anything leaves the pieces as they are: nobody would ever end them.
  file.once('close', () => port1.close())
  return file
}

/**
 * The request through a stream of its own: whoever stops reading ends that one, and the request behind it, whose
 * connection still has to carry the answer, lives on.
 */
function apart(request: Readable): Readable {
  const through = request.pipe(new PassThrough())
  // Whoever reads it is told; a client that hangs up before anybody reads is nobody's trouble.
  through.on('error', () => {})
  request.once('error', (error) => through.destroy(error))
  request.once('close', () => {
    if (!request.readableEnded)
      through.destroy(Object.assign(new Error('the client hung up'), { code: 'ECONNABORTED' }))
  })
  return through
}
