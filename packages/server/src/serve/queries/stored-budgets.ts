/** What groups of a game may spend, by device. */
import type { BudgetsResponse, GroupBudgets } from '@lapsus/api'
import type { Conditions } from '@lapsus/core/format'
import type { Store, TakeRow } from '../../store/store.ts'

const deviceOf = (take: TakeRow): string => (JSON.parse(take.conditions) as Conditions).device ?? ''

/** Those of the take's device, or of any. */
export async function budgetsOf(store: Store, take: TakeRow): Promise<BudgetsResponse> {
  const device = deviceOf(take)
  return { budgets: (await budgetsByDevice(store, take.gameId))(device), device }
}

/** The budgets of each device of a game: its own, or those of any. */
export async function budgetsByDevice(
  store: Store,
  gameId: number,
): Promise<(device: string) => GroupBudgets> {
  const rows = await store.budgets.findAll({ where: { gameId }, raw: true })
  const budgets = new Map(
    rows.map(({ device, body }) => [device, { device, groups: JSON.parse(body) as GroupBudgets['groups'] }]),
  )
  return (device) => budgets.get(device) ?? budgets.get('') ?? { device, groups: {} }
}

/** No groups: the device has no budgets of its own any more. */
export async function setBudgets(
  store: Store,
  take: TakeRow,
  { device, groups }: GroupBudgets,
): Promise<BudgetsResponse> {
  const { gameId } = take
  if (Object.keys(groups).length === 0) await store.budgets.destroy({ where: { gameId, device } })
  else await store.budgets.upsert({ gameId, device, body: JSON.stringify(groups) })
  return budgetsOf(store, take)
}
