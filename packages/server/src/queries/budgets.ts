/** What groups of a game may spend, by device. */
import type { BudgetsResponse, GroupBudgets } from '@lapsus/api'
import type { Conditions } from '@lapsus/core/format'
import { BudgetRow, type TakeRow } from '../database/models.ts'

const deviceOf = (take: TakeRow): string => (JSON.parse(take.conditions) as Conditions).device ?? ''

/** Those of the take's device, or of any. */
export async function budgetsOf(take: TakeRow): Promise<BudgetsResponse> {
  const device = deviceOf(take)
  const rows = await BudgetRow.findAll({ where: { gameId: take.gameId, device: [device, ''] } })
  const found = rows.find((row) => row.device === device) ?? rows[0]
  return {
    budgets: { device: found?.device ?? device, groups: found === undefined ? {} : JSON.parse(found.body) },
    device,
  }
}

/** No groups: the device has no budgets of its own any more. */
export async function setBudgets(take: TakeRow, { device, groups }: GroupBudgets): Promise<BudgetsResponse> {
  const { gameId } = take
  if (Object.keys(groups).length === 0) await BudgetRow.destroy({ where: { gameId, device } })
  else await BudgetRow.upsert({ gameId, device, body: JSON.stringify(groups) })
  return budgetsOf(take)
}
