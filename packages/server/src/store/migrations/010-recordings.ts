import { DataTypes, type QueryInterface } from 'sequelize'

export const name = '010-recordings'

const { BOOLEAN, DATE, INTEGER, STRING, TEXT } = DataTypes

/** Recordings of the demo game, so that any server tells of those that another has started. */
export async function up({ context: schema }: { context: QueryInterface }): Promise<void> {
  const needed = <T>(type: T) => ({ type, allowNull: false })
  await schema.createTable('recordings', {
    id: { type: STRING(64), primaryKey: true },
    take_id: needed(STRING(64)),
    state: needed(STRING(16)),
    seconds: needed(INTEGER),
    asked_at: needed(DATE(3)),
    started_at: { type: DATE(3), allowNull: true },
    ended_at: { type: DATE(3), allowNull: true },
    touched_at: needed(DATE(3)),
    stop_wished: needed(BOOLEAN),
    message: needed(TEXT),
  })
  await schema.addIndex('recordings', ['asked_at'])
}
