import { DataTypes, type QueryInterface } from 'sequelize'

export const name = '007-trials'

/** What a trial uses in turn, beside the gauge that tells which. */
export async function up({ context: schema }: { context: QueryInterface }): Promise<void> {
  const columns = await schema.describeTable('gauges')
  if (!('variants' in columns))
    await schema.addColumn('gauges', 'variants', { type: DataTypes.TEXT, allowNull: true })
}
