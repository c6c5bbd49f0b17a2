import { DataTypes, type QueryInterface } from 'sequelize'

export const name = '003-diagnoses'

const { BLOB, DATE, INTEGER, STRING, TEXT } = DataTypes

/** What is wrong with each take, worked out when it ends; and findings that people marked, by game. */
export async function up({ context: schema }: { context: QueryInterface }): Promise<void> {
  const needed = <T>(type: T) => ({ type, allowNull: false })
  const owner = (table: string) => ({ references: { model: table, key: 'id' }, onDelete: 'CASCADE' })
  await schema.createTable('diagnoses', {
    take_id: { type: STRING(64), primaryKey: true, ...owner('takes') },
    version: needed(INTEGER),
    body: needed(BLOB('medium')),
  })
  await schema.createTable('finding_marks', {
    game_id: { type: INTEGER, primaryKey: true, ...owner('games') },
    finding_hash: { type: STRING(64), primaryKey: true },
    finding: needed(TEXT),
    mark: needed(STRING(20)),
    reason: needed(TEXT),
    at: needed(DATE(3)),
  })
}
