import { travelsAsCbor, type Shape, type Told } from '@lapsus/core/questions'
import type { Conditions } from '@lapsus/core/format'
import { PAGE } from '@lapsus/core/questions/page'
import { EDGES } from '../../lists/edges.ts'
import { notFound, ProblemError } from '../../problem-error.ts'
import type { Store, TakeRow } from '../../store/store.ts'
import { wholeTake } from '../answers/diagnoses.ts'
import type { StudyQuery } from '../answers/studies.ts'
import type { FramesParams } from '../edge.ts'
import type { Pool } from '../pool/pool.ts'
import { parseRequest } from '../requests.ts'
import { takeOf } from '../take-of.ts'
import type { Handler } from './mount.ts'
import { questionRoute } from './table.ts'

/** Every question at its address below a take. */
export function questionRoutes(store: Store, pool: Pool): Record<string, Handler> {
  const routes: Record<string, Handler> = {}
  for (const { question, params: asks } of EDGES) {
    routes[questionRoute(question.at)] = async (context) => {
      const row = await takeOf(store, context)
      const { take: _, ...fromPath } = context['params'] as Record<string, string>
      const params = await parseRequest(asks, { ...context.query, ...fromPath })
      const query = question.ofFrames ? framesQuery(row, params as FramesParams) : wholeTake(row)
      const asked = own(question.asks, params)
      await checkPaths(store, row, asked)
      context.body = Buffer.from(
        await pool.run(isSmall(question, row) ? 'askSmall' : 'ask', {
          ...{ row: row.get(), at: question.at, query, asked },
        }),
      )
      context.type = travelsAsCbor(question) ? 'application/cbor' : 'application/json'
    }
  }
  return routes
}

/** Answered at once whatever else is asked: a single frame, or anything of a take with few spans. */
const MOST_SMALL_SPANS = 300_000
const isSmall = (question: { at: string }, row: TakeRow): boolean =>
  question.at === PAGE.at || (row.state !== 'recording' && Number(row.spans) <= MOST_SMALL_SPANS)

/** @throws ProblemError for a path that the take does not have: that is known before anything is read */
async function checkPaths(store: Store, row: TakeRow, asked: Told<Shape>): Promise<void> {
  const { path, paths } = asked as { path?: unknown; paths?: unknown }
  const wanted = typeof paths === 'string' ? paths.split(',').map(Number) : [Number(path)]
  if (!wanted.some((one) => one > 0)) return
  const known = await store.paths.count({ where: { takeId: row.id } })
  const unknown = wanted.find((one) => one >= known)
  if (unknown === undefined) return
  if (path !== undefined) throw new ProblemError(400, `"path" must be below ${known}`, 'path')
  throw notFound(`path ${unknown}: the take has ${known}`, 'paths')
}

const own = (asks: Shape, params: object): Told<Shape> =>
  Object.fromEntries(Object.entries(params).filter(([name]) => name in asks))

/** Which frames of a take a question is about. */
function framesQuery(row: TakeRow, { from, to, target, recorder }: FramesParams): StudyQuery {
  const last = Number(row.frames) - 1
  if ((to ?? last) < (from ?? 0) && (last >= 0 || (from !== undefined && to !== undefined)))
    throw new ProblemError(400, `"to" must not be before "from" (${from ?? 0}), got ${to ?? last}`, 'to')
  if (Math.max(from ?? 0, to ?? 0) > Math.max(0, last))
    throw notFound(`frame ${Math.max(from ?? 0, to ?? 0)}: the take has ${row.frames}`, 'to')
  if (recorder === 'without' && (JSON.parse(row.conditions) as Conditions).recorder === undefined)
    throw new ProblemError(400, 'the recorder of this take did not say what it costs', 'recorder')
  const isWhole = (from ?? 0) === 0 && (to ?? last) === last
  return {
    range: isWhole ? null : { from: from ?? 0, to: to ?? last },
    target: target ?? row.target,
    withoutRecorder: recorder === 'without',
  }
}
