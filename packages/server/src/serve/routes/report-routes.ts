import { handlers } from './mount.ts'
import { proofPlace } from '@lapsus/core/compare'
import type { ReportFormat } from '@lapsus/core/report'
import { notFound, ProblemError } from '../../problem-error.ts'
import type { Store } from '../../store/store.ts'
import type { ReportAsk } from '../pool/make-report.ts'
import type { Jobs } from '../jobs.ts'
import type { Pool } from '../pool/pool.ts'
import { getPlan } from '../queries/plans.ts'
import { parseRequest, ReportQuery } from '../requests.ts'
import { takesOf } from '../take-of.ts'

const TYPES: Record<ReportFormat, string> = { html: 'text/html', md: 'text/markdown' }

/** A take, a comparison, a plan with its proof, or a history, as one file to give away. */
export function reportRoutes(store: Store, pool: Pool, jobs: Jobs) {
  return handlers({
    'GET /api/report': async (context) => {
      const query = await parseRequest(ReportQuery, { ...context.query })
      const ask = await askOf(store, query)
      const { format } = query
      const job = { kind: 'report', name: ask.of, bytes: 0 } as const
      context.body = await jobs.run(context, job, ({ memory }) =>
        pool.run('report', { ...ask, format, job: memory }),
      )
      // What a take has for names is not to run as part of the workbench.
      context.attachment(`lapsus-${ask.of}.${format}`)
      context.type = `${TYPES[format]}; charset=utf-8`
    },
  })
}

async function askOf(store: Store, { take, before, after, plan: id, game }: ReportQuery): Promise<ReportAsk> {
  if (id !== undefined) {
    const { plan, take: planned } = await getPlan(store, id)
    if (planned === null) throw new ProblemError(422, 'the take that was planned on is gone', 'plan')
    const proof = plan.proof.map(proofPlace)
    await takesOf(store, [planned, ...proof.map((place) => place.take)], 'plan')
    return { of: 'plan', take: planned, plan, proof }
  }
  if (game !== undefined) {
    const row = await store.games.findOne({ where: { name: game }, raw: true })
    if (row === null) throw notFound(`game ${game}`, 'game')
    return { of: 'history', game: row.id, name: game }
  }
  if (before !== undefined && after !== undefined) {
    await takesOf(store, before, 'before')
    await takesOf(store, after, 'after')
    return { of: 'comparison', before, after }
  }
  if (take === undefined)
    throw new ProblemError(400, 'name what to report: take, before and after, plan, or game', 'take')
  await takesOf(store, [take], 'take')
  return { of: 'take', take }
}
