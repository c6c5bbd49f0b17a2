import { handlers } from './mount.ts'
import { proofPlace } from '@lapsus/core/compare'
import { BudgetError, budgetFromJson, emptyBudget } from '@lapsus/core/gate'
import { ProblemError } from '../../problem-error.ts'
import type { Store } from '../../store/store.ts'
import type { Jobs } from '../jobs.ts'
import type { Pool } from '../pool/pool.ts'
import { getPlan } from '../queries/plans.ts'
import { findTake, takeSummary } from '../queries/takes.ts'
import { CheckBody, ComparisonQuery, CompositeBody, parseRequest } from '../requests.ts'
import { takesOf } from '../take-of.ts'

/** What is said of several takes together. All of it is long work. */
export function compareRoutes(store: Store, pool: Pool, jobs: Jobs) {
  return handlers({
    'GET /api/comparisons': async (context) => {
      const { before, after, target = null } = await parseRequest(ComparisonQuery, { ...context.query })
      await takesOf(store, before, 'before')
      await takesOf(store, after, 'after')
      context.body = await pool.run('compare', { before, after, target })
    },

    'GET /api/plans/:plan/proof': async (context) => {
      const { plan, take } = await getPlan(store, context['params'].plan)
      if (take === null) throw new ProblemError(422, 'the take that was planned on is gone', 'take')
      if (plan.proof.length === 0)
        throw new ProblemError(422, 'the plan names no take that proves it', 'proof')
      const proof = plan.proof.map(proofPlace)
      await takesOf(store, [take, ...proof.map((place) => place.take)], 'proof')
      context.body = await pool.run('proof', { take, plan, proof })
    },

    'POST /api/checks': async (context) => {
      const { takes, budget: sent, against } = await parseRequest(CheckBody, context.request.body)
      if (sent === undefined && against.length === 0)
        throw new ProblemError(
          400,
          'nothing to check against: send a budget, takes before, or both',
          'budget',
        )
      const { budget, problems } = readBudget(sent)
      await takesOf(store, takes, 'takes')
      await takesOf(store, against, 'against')
      context.body = await pool.run('check', { takes, budget, against, problems })
    },

    'GET /api/takes/:take/budget': async (context) => {
      const [row] = await takesOf(store, [context['params'].take], 'take')
      context.body = await pool.run('budget', { take: row!.id })
    },

    'POST /api/composites': async (context) => {
      const { takes, name } = await parseRequest(CompositeBody, context.request.body)
      const rows = await takesOf(store, takes, 'takes')
      if (new Set(rows.map(({ gameId }) => gameId)).size > 1)
        throw new ProblemError(422, 'these are takes of different games', 'takes')
      const bytes = rows.reduce((sum, { storedBytes }) => sum + Number(storedBytes), 0)
      const ofFrames = Number(rows[0]!.frames)
      const id = await jobs.run(context, { kind: 'composite', name, bytes, ofFrames }, ({ memory }) =>
        pool.run('composite', { takes, name, job: memory }),
      )
      context.body = await takeSummary(store, (await findTake(store, id))!)
      context.status = 201
    },
  })
}

function readBudget(sent: unknown): ReturnType<typeof budgetFromJson> {
  if (sent === undefined) return { budget: emptyBudget(), problems: [] }
  try {
    return budgetFromJson(sent)
  } catch (error) {
    throw error instanceof BudgetError ? new ProblemError(400, error.message, 'budget') : error
  }
}
