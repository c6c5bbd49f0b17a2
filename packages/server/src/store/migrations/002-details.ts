import { DataTypes, type QueryInterface } from 'sequelize'

export const name = '002-details'

const { BLOB, DATE, INTEGER, STRING, TEXT } = DataTypes

/** What runs say about themselves, watched values, classes, kept stretches; tags and orders of takes. */
export async function up({ context: schema }: { context: QueryInterface }): Promise<void> {
  const takeId = {
    type: STRING(64),
    primaryKey: true,
    references: { model: 'takes', key: 'id' },
    onDelete: 'CASCADE',
  }
  const key = { type: INTEGER, primaryKey: true }
  const needed = <T>(type: T) => ({ type, allowNull: false })
  await schema.addColumn('chunks', 'details', { type: BLOB('medium') })
  await schema.addColumn('chunks', 'course_details', { type: BLOB('medium') })
  await schema.addColumn('markers', 'tags', { type: TEXT })
  await schema.addColumn('markers', 'watches', { type: TEXT })
  await schema.addColumn('takes', 'tags', { type: TEXT })
  await schema.addColumn('takes', 'wish', { type: TEXT })
  await schema.createTable('watches', { take_id: takeId, id: key, name: needed(STRING(200)) })
  await schema.createTable('classes', {
    take_id: takeId,
    id: key,
    name: needed(STRING(200)),
    marker: { type: INTEGER },
  })
  await schema.createTable('stretches', {
    take_id: takeId,
    idx: key,
    first_frame: needed(INTEGER),
    cause: needed(STRING(200)),
    at: needed(DATE(3)),
  })
}
