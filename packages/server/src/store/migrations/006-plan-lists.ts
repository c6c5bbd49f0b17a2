import { DataTypes, QueryTypes, type QueryInterface } from 'sequelize'

export const name = '006-plan-lists'

const { INTEGER, STRING } = DataTypes

/** What lists of plans show, beside each plan: so that a list need not read them. */
export async function up({ context: schema }: { context: QueryInterface }): Promise<void> {
  await schema.addColumn('plans', 'name', { type: STRING(200), allowNull: false, defaultValue: '' })
  await schema.addColumn('plans', 'items', { type: INTEGER, allowNull: false, defaultValue: 0 })
  const rows = await schema.sequelize.query<{ id: string; body: string }>('SELECT id, body FROM plans', {
    type: QueryTypes.SELECT,
  })
  for (const { id, body } of rows) {
    const plan = JSON.parse(body) as { name?: string; items?: { state?: string }[] }
    const items = (plan.items ?? []).filter(({ state }) => state !== 'dropped').length
    await schema.bulkUpdate('plans', { name: (plan.name ?? '').slice(0, 200), items }, { id })
  }
}
