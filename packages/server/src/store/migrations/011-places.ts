import { DataTypes, type QueryInterface } from 'sequelize'

export const name = '011-places'

const { INTEGER, TEXT } = DataTypes

/** Where in the code markers stand, and how often the lines around them were put in afterwards. */
export async function up({ context: schema }: { context: QueryInterface }): Promise<void> {
  await schema.addColumn('markers', 'place', { type: TEXT, allowNull: true })
  await schema.addColumn('takes', 'placings', { type: INTEGER, allowNull: false, defaultValue: 0 })
}
