/** Plans of a game. */
import { randomUUID } from 'node:crypto'
import type { PlanSummary, StoredPlan } from '@lapsus/api'
import { planFromJson, planToJson, PlanError, type Plan } from '@lapsus/core/remedy'
import { Op } from 'sequelize'
import { GameRow, PlanRow, type TakeRow } from '../database/models.ts'
import { notFound, ProblemError } from '../problem-error.ts'

/** Last changed first. */
export async function listPlans(gameId: number): Promise<PlanSummary[]> {
  const rows = await PlanRow.findAll({ where: { gameId, deletedAt: null }, order: [['changedAt', 'DESC']] })
  return rows.map((row) => summaryOf(row, planOf(row)))
}

export async function createPlan(take: TakeRow, sent: unknown): Promise<StoredPlan> {
  const { plan, problems } = readPlan(sent)
  const row = await PlanRow.create({
    id: randomUUID(),
    gameId: take.gameId,
    takeId: take.id,
    revision: 1,
    body: bodyOf(plan),
    changedAt: new Date(),
  })
  return stored(row, problems)
}

/** @throws ProblemError 404 */
export const getPlan = async (id: string): Promise<StoredPlan> => stored(await findPlan(id))

/**
 * Writes a plan anew, if nobody else has meanwhile.
 * @throws ProblemError 409 when it was changed since
 */
export async function changePlan(id: string, revision: number, sent: unknown): Promise<StoredPlan> {
  const { plan, problems } = readPlan(sent)
  const row = await findPlan(id)
  const [changed] = await PlanRow.update(
    { body: bodyOf(plan), revision: revision + 1, changedAt: new Date() },
    { where: { id, revision, deletedAt: null } },
  )
  if (changed === 0) {
    throw new ProblemError(
      409,
      `the plan was changed elsewhere: it is at revision ${row.revision}, not ${revision}`,
      'revision',
    )
  }
  return stored(await findPlan(id), problems)
}

/** Puts a plan aside; it can be restored. */
export async function deletePlan(id: string): Promise<void> {
  await (await findPlan(id)).update({ deletedAt: new Date() })
}

export async function restorePlan(id: string): Promise<StoredPlan> {
  const [restored] = await PlanRow.update(
    { deletedAt: null },
    { where: { id, deletedAt: { [Op.ne]: null } } },
  )
  if (restored === 0) throw notFound('deleted plan of that name', 'plan')
  return getPlan(id)
}

async function findPlan(id: string): Promise<PlanRow> {
  const row = await PlanRow.findOne({ where: { id, deletedAt: null } })
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

const bodyOf = (plan: Plan): string => JSON.stringify(planToJson(plan))
const planOf = ({ body }: PlanRow): Plan => planFromJson(JSON.parse(body)).plan

const summaryOf = ({ id, takeId, changedAt }: PlanRow, plan: Plan): PlanSummary => ({
  id,
  name: plan.name,
  take: takeId,
  items: plan.items.filter(({ state }) => state !== 'dropped').length,
  changed: changedAt.toISOString(),
})

async function stored(row: PlanRow, problems: string[] = []): Promise<StoredPlan> {
  const plan = planOf(row)
  const game = (await GameRow.findByPk(row.gameId))!.name
  return { ...summaryOf(row, plan), game, revision: row.revision, plan, problems }
}
