import { handlers } from './mount.ts'
import { Readable } from 'node:stream'
import { studyBytes } from '../answers/stored-chunks.ts'
import { ProblemError } from '../../problem-error.ts'
import { budgetsOf, setBudgets } from '../queries/stored-budgets.ts'
import { changePlan, createPlan, deletePlan, getPlan, listPlans, restorePlan } from '../queries/plans.ts'
import { BudgetsBody, parseRequest, PlanBody } from '../requests.ts'
import { takeOf } from '../take-of.ts'
import type { Store } from '../../store/store.ts'

/** Plans, what they are worked out on, and what groups may spend. */
export function planRoutes(store: Store) {
  return handlers({
    'GET /api/takes/:take/study': async (context) => {
      const { id } = await takeOf(store, context)
      context.body = Readable.from(studyBytes(store, id), { objectMode: false })
      context.type = 'application/cbor-seq'
    },

    'GET /api/takes/:take/plans': async (context) => {
      context.body = await listPlans(store, (await takeOf(store, context)).gameId)
    },

    'POST /api/takes/:take/plans': async (context) => {
      const take = await takeOf(store, context)
      context.body = await createPlan(store, take, context.request.body)
      context.status = 201
    },

    'GET /api/plans/:plan': async (context) => {
      context.body = await getPlan(store, context['params'].plan)
    },

    'PUT /api/plans/:plan': async (context) => {
      const { revision, plan } = await parseRequest(PlanBody, context.request.body)
      context.body = await changePlan(store, context['params'].plan, revision, plan)
    },

    'DELETE /api/plans/:plan': async (context) => {
      await deletePlan(store, context['params'].plan)
      context.status = 204
    },

    'POST /api/plans/:plan/restore': async (context) => {
      context.body = await restorePlan(store, context['params'].plan)
    },

    'GET /api/takes/:take/budgets': async (context) => {
      context.body = await budgetsOf(store, await takeOf(store, context))
    },

    'PUT /api/takes/:take/budgets': async (context) => {
      const take = await takeOf(store, context)
      const { device, groups } = await parseRequest(BudgetsBody, context.request.body)
      for (const [group, ms] of Object.entries(groups)) {
        if (group.length > 200 || typeof ms !== 'number' || !(ms > 0 && ms <= 10_000)) {
          throw new ProblemError(
            400,
            `the budget of “${group.slice(0, 200)}” must be above 0 and at most 10000 ms, got ${JSON.stringify(ms)}`,
            'groups',
          )
        }
      }
      context.body = await setBudgets(store, take, { device, groups: groups as Record<string, number> })
    },
  })
}
