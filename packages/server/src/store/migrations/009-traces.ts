import { DataTypes, type QueryInterface } from 'sequelize'

export const name = '009-traces'

const { BLOB, DATE, INTEGER, STRING, TEXT } = DataTypes

/** What OpenTelemetry traces have brought, until the frames in it are put together. */
export async function up({ context: schema }: { context: QueryInterface }): Promise<void> {
  const needed = <T>(type: T) => ({ type, allowNull: false })
  await schema.createTable('trace_streams', {
    instance_hash: { type: STRING(64), primaryKey: true },
    service: needed(TEXT),
    take_id: needed(STRING(64)),
    last_at: needed(DATE(3)),
    stopped_at: { type: DATE(3), allowNull: true },
  })
  await schema.createTable('trace_parts', {
    id: { type: INTEGER, primaryKey: true, autoIncrement: true },
    instance_hash: {
      ...needed(STRING(64)),
      references: { model: 'trace_streams', key: 'instance_hash' },
      onDelete: 'CASCADE',
    },
    position: { type: INTEGER, allowNull: true },
    body: { type: BLOB('medium'), allowNull: true },
  })
  // Whoever gives a place that is taken has lost the lease.
  await schema.addIndex('trace_parts', ['instance_hash', 'position'], { unique: true })
}
