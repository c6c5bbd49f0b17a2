/** Takes held against a budget. Answers are checked before they are used. */
import { checkChecked } from '@lapsus/api'
import { json, takeAt, withBody } from './http.ts'

export const checksApi = {
  check: async (ask: { takes: readonly string[]; budget?: unknown; against: readonly string[] }) =>
    checkChecked(await json('/api/checks', withBody('POST', ask))),
  /** A budget that the take holds. */
  budgetOf: (take: string) => json(`${takeAt(take)}/budget`),
}
