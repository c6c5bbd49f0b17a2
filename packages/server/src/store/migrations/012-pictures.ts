import { DataTypes, type QueryInterface } from 'sequelize'

export const name = '012-pictures'

const { BLOB, DOUBLE, INTEGER, STRING } = DataTypes

/** What was on the screen, now and then. */
export async function up({ context: schema }: { context: QueryInterface }): Promise<void> {
  const needed = <T>(type: T) => ({ type, allowNull: false })
  const key = <T>(type: T) => ({ ...needed(type), primaryKey: true })
  await schema.createTable('pictures', {
    take_id: { ...key(STRING(64)), references: { model: 'takes', key: 'id' }, onDelete: 'CASCADE' },
    idx: key(INTEGER),
    position: key(INTEGER),
    at_ns: needed(DOUBLE),
    type: needed(STRING(20)),
    width: needed(INTEGER),
    height: needed(INTEGER),
    bytes: needed(BLOB('medium')),
  })
}
