import { DataTypes, type QueryInterface } from 'sequelize'

export const name = '004-plans'

const { DATE, INTEGER, STRING, TEXT } = DataTypes

/** Plans of a game, each made from a take; and what groups of a game may spend, by device. */
export async function up({ context: schema }: { context: QueryInterface }): Promise<void> {
  const needed = <T>(type: T) => ({ type, allowNull: false })
  const owner = (table: string, onDelete: string) => ({ references: { model: table, key: 'id' }, onDelete })
  await schema.createTable('plans', {
    id: { type: STRING(64), primaryKey: true },
    game_id: { ...needed(INTEGER), ...owner('games', 'CASCADE') },
    take_id: { type: STRING(64), ...owner('takes', 'SET NULL') },
    revision: needed(INTEGER),
    body: needed(TEXT('medium')),
    changed_at: needed(DATE(3)),
    deleted_at: DATE(3),
  })
  await schema.addIndex('plans', ['game_id', 'changed_at'])
  await schema.createTable('budgets', {
    game_id: { type: INTEGER, primaryKey: true, ...owner('games', 'CASCADE') },
    device: { type: STRING(200), primaryKey: true },
    body: needed(TEXT),
  })
}
