import { DataTypes, type QueryInterface } from 'sequelize'

export const name = '005-trust'

const { BIGINT, BLOB, BOOLEAN, DATE, INTEGER, STRING } = DataTypes

/** Who writes a take, what could not be stored of it, what its recorder had to leave out; who may come in. */
export async function up({ context: schema }: { context: QueryInterface }): Promise<void> {
  const needed = <T>(type: T) => ({ type, allowNull: false })
  const key = <T>(type: T) => ({ type, allowNull: false, primaryKey: true })
  const takeId = () => ({
    ...key(STRING(64)),
    references: { model: 'takes', key: 'id' },
    onDelete: 'CASCADE',
  })
  await schema.addColumn('takes', 'writer', { type: STRING(64) })
  await schema.addColumn('takes', 'twin_of', { type: STRING(64) })
  await schema.addColumn('takes', 'set_aside', { ...needed(BIGINT), defaultValue: 0 })
  await schema.addIndex('takes', ['twin_of'])
  await schema.createTable('refused_records', {
    take_id: takeId(),
    sequence: key(BIGINT),
    tries: needed(INTEGER),
    reason: needed(STRING(600)),
    bytes: needed(INTEGER),
    at: needed(DATE(3)),
    set_aside: needed(BOOLEAN),
  })
  await schema.createTable('refused_parts', {
    take_id: takeId(),
    sequence: key(BIGINT),
    part: key(INTEGER),
    body: needed(BLOB('medium')),
  })
  await schema.createTable('problems', {
    take_id: takeId(),
    what: key(STRING(200)),
    about: key(STRING(200)),
    count: needed(BIGINT),
  })
  await schema.createTable('sessions', {
    token_hash: key(STRING(64)),
    until: needed(DATE(3)),
  })
  await schema.createTable('sign_in_failures', {
    id: { ...key(INTEGER), autoIncrement: true },
    address: needed(STRING(64)),
    at: needed(DATE(3)),
  })
  await schema.addIndex('sign_in_failures', ['at'])
}
