import { DataTypes, type QueryInterface } from 'sequelize'

export const name = '014-proof'

const { BIGINT, STRING, TEXT } = DataTypes

/** What proves that what is stored is what was sent; and takes that go on with another. */
export async function up({ context: schema }: { context: QueryInterface }): Promise<void> {
  await schema.addColumn('takes', 'continues', { type: STRING(64) })
  await schema.addColumn('takes', 'chain', { type: BIGINT })
  await schema.addIndex('takes', ['continues'])
  await schema.addColumn('chunks', 'proof', { type: TEXT })
  await schema.addColumn('rollups', 'crc', { type: BIGINT })
}
