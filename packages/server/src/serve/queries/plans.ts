/** Plans of a game. */
import { randomUUID } from 'node:crypto'
import type { PlanSummary, StoredPlan } from '@lapsus/api'
import { planFromJson, planToJson, PlanError, type Plan } from '@lapsus/core/remedy'
import { Op } from 'sequelize'
import { notFound, ProblemError } from '../../problem-error.ts'
import type { Store, TakeRow, Row } from '../../store/store.ts'

/** Last changed first. */
export async function listPlans(store: Store, gameId: number): Promise<PlanSummary[]> {
  const rows = await store.plans.findAll({
    attributes: ['id', 'name', 'takeId', 'items', 'changedAt'],
    where: { gameId, deletedAt: null },
    order: [['changedAt', 'DESC']],
  })
  return rows.map(summaryOf)
}

export async function createPlan(store: Store, take: TakeRow, sent: unknown): Promise<StoredPlan> {
  const { plan, problems } = readPlan(sent)
  const row = await store.plans.create({
    id: randomUUID(),
    gameId: take.gameId,
    takeId: take.id,
    revision: 1,
    ...columnsOf(plan),
    changedAt: new Date(),
  })
  return stored(store, row, plan, problems)
}

/** @throws ProblemError 404 */
export async function getPlan(store: Store, id: string): Promise<StoredPlan> {
  const row = await findPlan(store, id)
  return stored(store, row, planFromJson(JSON.parse(row.body)).plan)
}

/**
 * Writes a plan anew, if nobody else has meanwhile.
 * @throws ProblemError 409 when it was changed since
 */
export async function changePlan(
  store: Store,
  id: string,
  revision: number,
  sent: unknown,
): Promise<StoredPlan> {
  const { plan, problems } = readPlan(sent)
  const row = await findPlan(store, id)
  const [changed] = await store.plans.update(
    { ...columnsOf(plan), revision: revision + 1, changedAt: new Date() },
    { where: { id, revision, deletedAt: null } },
  )
  if (changed === 0) {
    throw new ProblemError(
      409,
      `the plan was changed elsewhere: it is at revision ${row.revision}, not ${revision}`,
      'revision',
    )
  }
  return stored(store, await findPlan(store, id), plan, problems)
}

/** Puts a plan aside; it can be restored. */
export async function deletePlan(store: Store, id: string): Promise<void> {
  await (await findPlan(store, id)).update({ deletedAt: new Date() })
}

export async function restorePlan(store: Store, id: string): Promise<StoredPlan> {
  const [restored] = await store.plans.update(
    { deletedAt: null },
    { where: { id, deletedAt: { [Op.ne]: null } } },
  )
  if (restored === 0) throw notFound('deleted plan of that name', 'plan')
  return getPlan(store, id)
}

async function findPlan(store: Store, id: string): Promise<Row<'plans'>> {
  const row = await store.plans.findOne({ where: { id, deletedAt: null } })
  if (row === null) throw notFound('plan of that name', 'plan')
  return row
}

function readPlan(sent: unknown): { plan: Plan; problems: string[] } {
  try {
    return planFromJson(sent)
  } catch (error) {
    if (error instanceof PlanError) throw new ProblemError(400, error.message, 'plan')
    throw error
  }
}

/** A plan as it is kept, with what lists show of it. */
const columnsOf = (plan: Plan) => ({
  body: JSON.stringify(planToJson(plan)),
  name: plan.name,
  items: plan.items.filter(({ state }) => state !== 'dropped').length,
})

const summaryOf = ({ id, name, takeId, items, changedAt }: Row<'plans'>): PlanSummary => ({
  id,
  name,
  take: takeId,
  items,
  changed: changedAt.toISOString(),
})

async function stored(
  store: Store,
  row: Row<'plans'>,
  plan: Plan,
  problems: string[] = [],
): Promise<StoredPlan> {
  const game = (await store.games.findByPk(row.gameId))!.name
  return { ...summaryOf(row), game, revision: row.revision, plan, problems }
}
