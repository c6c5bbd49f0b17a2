import { DataTypes, type QueryInterface } from 'sequelize'

export const name = '013-sign-in'

const { DATE, INTEGER, STRING } = DataTypes

/** Sessions that know where they came from and with which password; tries that several servers count together. */
export async function up({ context: schema }: { context: QueryInterface }): Promise<void> {
  const needed = <T>(type: T) => ({ type, allowNull: false })
  const key = <T>(type: T) => ({ ...needed(type), primaryKey: true })
  // Nobody knows with which password they were begun.
  await schema.dropTable('sessions')
  await schema.dropTable('sign_in_failures')
  await schema.createTable('sessions', {
    token_hash: key(STRING(64)),
    password_mark: needed(STRING(64)),
    until: needed(DATE(3)),
    began: needed(DATE(3)),
    seen_at: needed(DATE(3)),
    address: needed(STRING(64)),
    agent: needed(STRING(200)),
  })
  await schema.createTable('devices', {
    token_hash: key(STRING(64)),
    password_mark: needed(STRING(64)),
    until: needed(DATE(3)),
  })
  await schema.createTable('sign_in_tries', {
    who: key(STRING(80)),
    tries: needed(INTEGER),
    at: needed(DATE(3)),
    next_at: needed(DATE(3)),
    right_at: { type: DATE(3), allowNull: true },
  })
  await schema.createTable('secrets', { name: key(STRING(64)), value: needed(STRING(200)) })
}
