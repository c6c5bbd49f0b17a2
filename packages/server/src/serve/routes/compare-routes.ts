import Router from '@koa/router'
import { BudgetError, budgetFromJson, emptyBudget } from '@lapsus/core/gate'
import type { Context } from 'koa'
import { notFound, ProblemError } from '../../problem-error.ts'
import type { Store, TakeRow } from '../../store/store.ts'
import type { Pool } from '../pool/pool.ts'
import { findTake, takeSummary } from '../queries/takes.ts'
import { CheckBody, ComparisonQuery, CompositeBody, parseRequest } from '../requests.ts'

/** What is said of several takes together. All of it is long work. */
export function compareRoutes(store: Store, pool: Pool): Router {
  const router = new Router({ prefix: '/api' })

  router.get('/comparisons', async (context) => {
    const { before, after, target = null } = await parseRequest(ComparisonQuery, { ...context.query })
    await takesOf(store, before, 'before')
    await takesOf(store, after, 'after')
    context.body = await pool.run('compare', { before, after, target }, untilGone(context))
  })

  router.post('/checks', async (context) => {
    const { takes, budget: sent, against } = await parseRequest(CheckBody, context.request.body)
    if (sent === undefined && against.length === 0)
      throw new ProblemError(400, 'nothing to check against: send a budget, takes before, or both', 'budget')
    const { budget, problems } = readBudget(sent)
    await takesOf(store, takes, 'takes')
    await takesOf(store, against, 'against')
    context.body = await pool.run('check', { takes, budget, against, problems }, untilGone(context))
  })

  router.post('/composites', async (context) => {
    const { takes, name } = await parseRequest(CompositeBody, context.request.body)
    const rows = await takesOf(store, takes, 'takes')
    if (new Set(rows.map(({ gameId }) => gameId)).size > 1)
      throw new ProblemError(422, 'these are takes of different games', 'takes')
    // It is written on: whoever asked may go, the take is there all the same.
    const id = await pool.run('composite', { takes, name }, new AbortController().signal)
    store.closedTakes.tell(id)
    context.body = await takeSummary(store, (await findTake(store, id))!)
    context.status = 201
  })

  return router
}

function readBudget(sent: unknown): ReturnType<typeof budgetFromJson> {
  if (sent === undefined) return { budget: emptyBudget(), problems: [] }
  try {
    return budgetFromJson(sent)
  } catch (error) {
    throw error instanceof BudgetError ? new ProblemError(400, error.message, 'budget') : error
  }
}

/** @throws ProblemError 404 naming the first that is not there, 409 for one that is still being recorded */
async function takesOf(store: Store, ids: readonly string[], field: string): Promise<TakeRow[]> {
  const rows: TakeRow[] = []
  for (const id of ids) {
    const row = await findTake(store, id)
    if (row === null) throw notFound(`take ${id}`, field)
    if (row.state === 'recording') throw new ProblemError(409, `take ${id} is still being recorded`, field)
    rows.push(row)
  }
  return rows
}

/** Ends the work when whoever asked has hung up. */
function untilGone({ res }: Context): AbortSignal {
  const gone = new AbortController()
  res.once('close', () => gone.abort())
  return gone.signal
}
