import Router from '@koa/router'
import { answer, travelsAsCbor, WrongAsk, written, type Shape, type Told } from '@lapsus/core/questions'
import type { Conditions } from '@lapsus/core/format'
import type { Context } from 'koa'
import { EDGES } from '../../lists/edges.ts'
import { notFound, ProblemError } from '../../problem-error.ts'
import type { TakeRow } from '../../store/store.ts'
import { wholeTake } from '../answers/diagnoses.ts'
import { sourceOf } from '../answers/stored-source.ts'
import type { Sources, StudyQuery } from '../answers/studies.ts'
import type { Edge, FramesParams } from '../edge.ts'
import { parseRequest } from '../requests.ts'
import { takeOf } from '../take-of.ts'

/** Every question at its address below a take. */
export function questionRoutes(sources: Sources): Router {
  const router = new Router({ prefix: '/api' })
  for (const edge of EDGES) {
    router.get(`/takes/:take/${edge.question.at}`, async (context) => {
      const told = await answerAt(edge, sources, context)
      const sent = written(edge.question, told)
      context.body = sent instanceof Uint8Array ? Buffer.from(sent) : sent
      if (travelsAsCbor(edge.question)) context.type = 'application/cbor'
    })
  }
  return router
}

async function answerAt(edge: Edge, sources: Sources, context: Context): Promise<object> {
  const { question } = edge
  const row = await takeOf(sources.store, context)
  const { take: _, ...fromPath } = context['params'] as Record<string, string>
  const params = await parseRequest(edge.params, { ...context.query, ...fromPath })
  const query = question.ofFrames ? framesQuery(row, params as FramesParams) : wholeTake(row)
  const asked = own(question.asks, params)
  try {
    return edge.answer === undefined
      ? await answer(question, await sourceOf(sources, row, query), asked)
      : await edge.answer(sources, row, query, asked)
  } catch (error) {
    if (error instanceof WrongAsk)
      throw new ProblemError(error.isMissing ? 404 : 400, error.message, error.field)
    throw error
  }
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
