import { DataTypes, type QueryInterface } from 'sequelize'

const { BIGINT, BLOB, DATE, DOUBLE, INTEGER, SMALLINT, STRING, TEXT } = DataTypes

const needed = (type: object) => ({ type: type as never, allowNull: false })
const key = (type: object) => ({ type: type as never, allowNull: false, primaryKey: true })
const zero = { type: BIGINT, allowNull: false, defaultValue: 0 }
const takeId = {
  ...key(STRING(64)),
  references: { model: 'takes', key: 'id' },
  onDelete: 'CASCADE',
}

export const name = '001-takes'

/** Games, their takes, and everything a take consists of. */
export async function up({ context: schema }: { context: QueryInterface }): Promise<void> {
  await schema.createTable('games', {
    id: { ...key(INTEGER), autoIncrement: true },
    name: { ...needed(STRING(200)), unique: true },
  })
  await schema.createTable('takes', {
    id: key(STRING(64)),
    game_id: { ...needed(INTEGER), references: { model: 'games', key: 'id' } },
    name: { ...needed(STRING(200)), defaultValue: '' },
    note: needed(TEXT),
    state: needed(STRING(20)),
    started: needed(DATE(3)),
    target: needed(DOUBLE),
    conditions: needed(TEXT),
    frames: zero,
    spans: zero,
    chunks: zero,
    end_ns: zero,
    last_frame_start_ns: { type: BIGINT },
    last_sequence: zero,
    dropped: zero,
    repaired: zero,
    stored_bytes: zero,
    figures: { type: TEXT },
    miniature: { type: TEXT },
    touched_at: needed(DATE(3)),
    deleted_at: { type: DATE(3) },
  })
  await schema.addIndex('takes', ['game_id', 'started'])
  await schema.createTable('markers', {
    take_id: takeId,
    id: key(INTEGER),
    name: needed(STRING(200)),
    marker_group: needed(STRING(200)),
    group_id: needed(INTEGER),
    kind: needed(STRING(20)),
  })
  await schema.createTable('lanes', { take_id: takeId, id: key(INTEGER), name: needed(STRING(200)) })
  await schema.createTable('gauges', {
    take_id: takeId,
    id: key(INTEGER),
    name: needed(STRING(200)),
    unit: needed(STRING(200)),
  })
  await schema.createTable('paths', {
    take_id: takeId,
    id: key(INTEGER),
    parent: needed(INTEGER),
    lane: needed(SMALLINT),
    marker: needed(INTEGER),
  })
  await schema.createTable('chunks', {
    take_id: takeId,
    idx: key(INTEGER),
    sequence: needed(BIGINT),
    first_frame: needed(INTEGER),
    frames: needed(INTEGER),
    spans: needed(INTEGER),
    dropped: needed(BIGINT),
    repaired: needed(BIGINT),
    frame_columns: needed(BLOB('medium')),
    span_columns: needed(BLOB('medium')),
    courses: needed(BLOB('medium')),
    samples: needed(BLOB('medium')),
  })
  await schema.addIndex('chunks', ['take_id', 'sequence'], { unique: true })
  await schema.addIndex('chunks', ['take_id', 'first_frame'])
  await schema.createTable('rollups', {
    take_id: takeId,
    level: key(SMALLINT),
    idx: key(INTEGER),
    body: needed(BLOB('medium')),
  })
  await schema.createTable('moments', {
    take_id: takeId,
    idx: key(INTEGER),
    position: key(INTEGER),
    frame: needed(INTEGER),
    at_ns: needed(DOUBLE),
    name: needed(STRING(200)),
    data: { type: TEXT },
  })
}
