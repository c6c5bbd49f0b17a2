import { DataTypes, type QueryInterface } from 'sequelize'

export const name = '008-history'

const { BLOB, DATE, INTEGER, STRING, TEXT } = DataTypes

/** Takes summed up, for histories of hundreds; and comparisons that somebody kept. */
export async function up({ context: schema }: { context: QueryInterface }): Promise<void> {
  const needed = <T>(type: T) => ({ type, allowNull: false })
  const owner = (table: string) => ({ references: { model: table, key: 'id' }, onDelete: 'CASCADE' })
  await schema.createTable('take_sums', {
    take_id: { type: STRING(64), primaryKey: true, ...owner('takes') },
    version: needed(INTEGER),
    body: needed(BLOB('medium')),
  })
  await schema.createTable('comparisons', {
    id: { type: STRING(64), primaryKey: true },
    game_id: { ...needed(INTEGER), ...owner('games') },
    before_takes: needed(TEXT),
    after_takes: needed(TEXT),
    sentence: needed(TEXT),
    at: needed(DATE(3)),
  })
  await schema.addIndex('comparisons', ['game_id', 'at'])
}
