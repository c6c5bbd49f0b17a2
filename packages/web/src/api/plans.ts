/** Plans, and what groups may spend. */
import { checkBudgets, checkPlan, checkPlans, type GroupBudgets } from '@lapsus/api'
import { planToJson, type Plan } from '@lapsus/core/remedy'
import { json, send, takeAt, withBody } from './http.ts'

/** Bytes; letters may take several. */
const MOST_KEPT_ALIVE = 16_000
const planAt = (id: string) => `/api/plans/${encodeURIComponent(id)}`

export const plansApi = {
  list: async (takeId: string) => checkPlans(await json(`${takeAt(takeId)}/plans`)),
  get: async (id: string) => checkPlan(await json(planAt(id))),
  /** @param sent a plan, or what somebody believes to be one */
  create: async (takeId: string, sent: unknown) =>
    checkPlan(await json(`${takeAt(takeId)}/plans`, withBody('POST', sent))),
  change: async (id: string, revision: number, changed: Plan) => {
    const init = withBody('PUT', { revision, plan: planToJson(changed) })
    // So that it arrives though the page is left; browsers allow that for small bodies only.
    const keepalive = (init.body as string).length < MOST_KEPT_ALIVE
    return checkPlan(await json(planAt(id), { ...init, keepalive }))
  },
  remove: (id: string) => send(planAt(id), { method: 'DELETE' }),
  restore: async (id: string) => checkPlan(await json(`${planAt(id)}/restore`, { method: 'POST' })),
  budgets: async (id: string) => checkBudgets(await json(`${takeAt(id)}/budgets`)),
  setBudgets: async (id: string, budgets: GroupBudgets) =>
    checkBudgets(await json(`${takeAt(id)}/budgets`, withBody('PUT', budgets))),
}
