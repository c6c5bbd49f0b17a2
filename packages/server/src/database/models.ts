import {
  DataTypes,
  Model,
  type CreationOptional,
  type InferAttributes,
  type InferCreationAttributes,
  type Sequelize,
} from 'sequelize'

type Attributes<T extends Model> = InferAttributes<T>
type Creation<T extends Model> = InferCreationAttributes<T>

export class GameRow extends Model<Attributes<GameRow>, Creation<GameRow>> {
  declare id: CreationOptional<number>
  declare name: string
}

export class TakeRow extends Model<Attributes<TakeRow>, Creation<TakeRow>> {
  declare id: string
  declare gameId: number
  declare name: string
  declare note: string
  /** JSON: an array of texts; null for none. */
  declare tags: CreationOptional<string | null>
  /** JSON: what somebody who watches wishes of the game (OrderMessage); null for nothing. */
  declare wish: CreationOptional<string | null>
  declare state: string
  declare started: Date
  declare target: number
  /** JSON. */
  declare conditions: string
  declare frames: CreationOptional<number>
  /** BIGINT: a text in results. */
  declare spans: CreationOptional<number>
  declare chunks: CreationOptional<number>
  declare endNs: CreationOptional<number>
  declare lastFrameStartNs: CreationOptional<number | null>
  declare lastSequence: CreationOptional<number>
  declare dropped: CreationOptional<number>
  declare repaired: CreationOptional<number>
  declare storedBytes: CreationOptional<number>
  /** JSON. */
  declare figures: CreationOptional<string | null>
  /** JSON. */
  declare miniature: CreationOptional<string | null>
  declare touchedAt: Date
  declare deletedAt: CreationOptional<Date | null>
  /** The recorder that writes it (TakeRecord.writer); null where it did not say. */
  declare writer: CreationOptional<string | null>
  /** The take under whose identity a second recorder wrote this one; null for most. */
  declare twinOf: CreationOptional<string | null>
  /** Records that could not be stored and were set aside. */
  declare setAside: CreationOptional<number>
}

/** A record that could not be stored. Its bytes are kept once it is set aside (RefusedPartRow). */
export class RefusedRecordRow extends Model<Attributes<RefusedRecordRow>, Creation<RefusedRecordRow>> {
  declare takeId: string
  declare sequence: number
  declare tries: number
  declare reason: string
  declare bytes: number
  declare at: Date
  declare setAside: boolean
}

export class RefusedPartRow extends Model<Attributes<RefusedPartRow>, Creation<RefusedPartRow>> {
  declare takeId: string
  declare sequence: number
  declare part: number
  declare body: Buffer
}

/** Calls that a take's recorder had to repair or leave out (ProblemCount). */
export class ProblemRow extends Model<Attributes<ProblemRow>, Creation<ProblemRow>> {
  declare takeId: string
  declare what: string
  declare about: string
  declare count: number
}

/** Somebody who is signed in. */
export class SessionRow extends Model<Attributes<SessionRow>, Creation<SessionRow>> {
  /** SHA-256 of what the cookie holds, hexadecimal. */
  declare tokenHash: string
  declare until: Date
}

export class SignInFailureRow extends Model<Attributes<SignInFailureRow>, Creation<SignInFailureRow>> {
  declare id: CreationOptional<number>
  declare address: string
  declare at: Date
}

export class MarkerRow extends Model<Attributes<MarkerRow>, Creation<MarkerRow>> {
  declare takeId: string
  declare id: number
  declare name: string
  declare markerGroup: string
  declare groupId: number
  declare kind: string
  /** JSON: an array of texts; null for none. */
  declare tags: string | null
  /** JSON: an array of watch numbers; null for none. */
  declare watches: string | null
}

export class LaneRow extends Model<Attributes<LaneRow>, Creation<LaneRow>> {
  declare takeId: string
  declare id: number
  declare name: string
}

export class GaugeRow extends Model<Attributes<GaugeRow>, Creation<GaugeRow>> {
  declare takeId: string
  declare id: number
  declare name: string
  declare unit: string
}

export class WatchRow extends Model<Attributes<WatchRow>, Creation<WatchRow>> {
  declare takeId: string
  declare id: number
  declare name: string
}

export class ClassRow extends Model<Attributes<ClassRow>, Creation<ClassRow>> {
  declare takeId: string
  declare id: number
  declare name: string
  declare marker: number | null
}

/** A stretch of a play-through that was kept for a cause; lasts to the next one's first frame. */
export class StretchRow extends Model<Attributes<StretchRow>, Creation<StretchRow>> {
  declare takeId: string
  /** Number of the chunk that begins it. */
  declare idx: number
  declare firstFrame: number
  declare cause: string
  declare at: Date
}

export class PathRow extends Model<Attributes<PathRow>, Creation<PathRow>> {
  declare takeId: string
  declare id: number
  declare parent: number
  declare lane: number
  declare marker: number
}

export class ChunkRow extends Model<Attributes<ChunkRow>, Creation<ChunkRow>> {
  declare takeId: string
  declare idx: number
  declare sequence: number
  declare firstFrame: number
  declare frames: number
  declare spans: number
  declare dropped: number
  declare repaired: number
  /** CBOR, see core/take/frames-codec. */
  declare frameColumns: Buffer
  /** Deflated, see core/take/pack. */
  declare spanColumns: Buffer
  /** Deflated, see core/rollup/courses. */
  declare courses: Buffer
  /** CBOR, see core/take/samples. */
  declare samples: Buffer
  /** Deflated, see core/take/details; null where runs say nothing about themselves. */
  declare details: Buffer | null
  /** Deflated, see core/rollup/course-details; null like `details`. */
  declare courseDetails: Buffer | null
}

export class RollupRow extends Model<Attributes<RollupRow>, Creation<RollupRow>> {
  declare takeId: string
  declare level: number
  declare idx: number
  /** Deflated, see core/rollup/rollup-codec. */
  declare body: Buffer
}

export class PlanRow extends Model<Attributes<PlanRow>, Creation<PlanRow>> {
  declare id: string
  declare gameId: number
  /** The take it was made from; null when that is gone. */
  declare takeId: string | null
  /** Raised with every change. */
  declare revision: number
  /** JSON, see core/remedy/plan. */
  declare body: string
  declare changedAt: Date
  declare deletedAt: CreationOptional<Date | null>
}

/** What groups of a game may spend on a device. */
export class BudgetRow extends Model<Attributes<BudgetRow>, Creation<BudgetRow>> {
  declare gameId: number
  /** Empty for any device that has none of its own. */
  declare device: string
  /** JSON: ms by name of the group. */
  declare body: string
}

export class MomentRow extends Model<Attributes<MomentRow>, Creation<MomentRow>> {
  declare takeId: string
  declare idx: number
  /** Position within its chunk. */
  declare position: number
  declare frame: number
  declare atNs: number
  declare name: string
  /** JSON, or null. */
  declare data: string | null
}

/** What is wrong with a whole take, at its own target and as recorded. */
export class DiagnosisRow extends Model<Attributes<DiagnosisRow>, Creation<DiagnosisRow>> {
  declare takeId: string
  /** Of the detectors that found it. */
  declare version: number
  /** Deflated JSON (diagnosis/diagnoses: StoredDiagnosis). */
  declare body: Buffer
}

/** What people think of a finding, in all takes of a game. */
export class FindingMarkRow extends Model<Attributes<FindingMarkRow>, Creation<FindingMarkRow>> {
  declare gameId: number
  /** SHA-256 of `finding`, hexadecimal. */
  declare findingHash: string
  declare finding: string
  declare mark: string
  declare reason: string
  declare at: Date
}

const { BIGINT, BLOB, BOOLEAN, DATE, DOUBLE, INTEGER, SMALLINT, STRING, TEXT } = DataTypes
// Functions, since Sequelize writes into the attribute descriptions it is given.
const takeKey = () => ({ type: STRING(64), primaryKey: true })
const numberKey = () => ({ type: INTEGER, primaryKey: true })
const zero = () => ({ type: BIGINT, defaultValue: 0, allowNull: false })

export function defineModels(sequelize: Sequelize): void {
  GameRow.init(
    { id: { ...numberKey(), autoIncrement: true }, name: STRING(200) },
    { sequelize, tableName: 'games' },
  )
  TakeRow.init(
    {
      id: takeKey(),
      gameId: INTEGER,
      name: STRING(200),
      note: TEXT,
      tags: TEXT,
      wish: TEXT,
      state: STRING(20),
      started: DATE(3),
      target: DOUBLE,
      conditions: TEXT,
      frames: zero(),
      spans: zero(),
      chunks: zero(),
      endNs: zero(),
      lastFrameStartNs: { type: BIGINT, allowNull: true },
      lastSequence: zero(),
      dropped: zero(),
      repaired: zero(),
      storedBytes: zero(),
      figures: TEXT,
      miniature: TEXT,
      touchedAt: DATE(3),
      deletedAt: DATE(3),
      writer: STRING(64),
      twinOf: STRING(64),
      setAside: zero(),
    },
    { sequelize, tableName: 'takes' },
  )
  RefusedRecordRow.init(
    {
      takeId: takeKey(),
      sequence: { type: BIGINT, primaryKey: true },
      tries: INTEGER,
      reason: STRING(600),
      bytes: INTEGER,
      at: DATE(3),
      setAside: BOOLEAN,
    },
    { sequelize, tableName: 'refused_records' },
  )
  RefusedPartRow.init(
    {
      takeId: takeKey(),
      sequence: { type: BIGINT, primaryKey: true },
      part: numberKey(),
      body: BLOB('medium'),
    },
    { sequelize, tableName: 'refused_parts' },
  )
  ProblemRow.init(
    {
      takeId: takeKey(),
      what: { type: STRING(200), primaryKey: true },
      about: { type: STRING(200), primaryKey: true },
      count: BIGINT,
    },
    { sequelize, tableName: 'problems' },
  )
  SessionRow.init({ tokenHash: takeKey(), until: DATE(3) }, { sequelize, tableName: 'sessions' })
  SignInFailureRow.init(
    { id: { ...numberKey(), autoIncrement: true }, address: STRING(64), at: DATE(3) },
    { sequelize, tableName: 'sign_in_failures' },
  )
  MarkerRow.init(
    {
      takeId: takeKey(),
      id: numberKey(),
      name: STRING(200),
      markerGroup: STRING(200),
      groupId: INTEGER,
      kind: STRING(20),
      tags: TEXT,
      watches: TEXT,
    },
    { sequelize, tableName: 'markers' },
  )
  LaneRow.init({ takeId: takeKey(), id: numberKey(), name: STRING(200) }, { sequelize, tableName: 'lanes' })
  GaugeRow.init(
    { takeId: takeKey(), id: numberKey(), name: STRING(200), unit: STRING(200) },
    { sequelize, tableName: 'gauges' },
  )
  WatchRow.init(
    { takeId: takeKey(), id: numberKey(), name: STRING(200) },
    { sequelize, tableName: 'watches' },
  )
  ClassRow.init(
    { takeId: takeKey(), id: numberKey(), name: STRING(200), marker: INTEGER },
    { sequelize, tableName: 'classes' },
  )
  StretchRow.init(
    { takeId: takeKey(), idx: numberKey(), firstFrame: INTEGER, cause: STRING(200), at: DATE(3) },
    { sequelize, tableName: 'stretches' },
  )
  PathRow.init(
    { takeId: takeKey(), id: numberKey(), parent: INTEGER, lane: SMALLINT, marker: INTEGER },
    { sequelize, tableName: 'paths' },
  )
  ChunkRow.init(
    {
      takeId: takeKey(),
      idx: numberKey(),
      sequence: BIGINT,
      firstFrame: INTEGER,
      frames: INTEGER,
      spans: INTEGER,
      dropped: BIGINT,
      repaired: BIGINT,
      frameColumns: BLOB('medium'),
      spanColumns: BLOB('medium'),
      courses: BLOB('medium'),
      samples: BLOB('medium'),
      details: BLOB('medium'),
      courseDetails: BLOB('medium'),
    },
    { sequelize, tableName: 'chunks' },
  )
  RollupRow.init(
    {
      takeId: takeKey(),
      level: { type: SMALLINT, primaryKey: true },
      idx: numberKey(),
      body: BLOB('medium'),
    },
    { sequelize, tableName: 'rollups' },
  )
  DiagnosisRow.init(
    { takeId: takeKey(), version: INTEGER, body: BLOB('medium') },
    { sequelize, tableName: 'diagnoses' },
  )
  FindingMarkRow.init(
    {
      gameId: numberKey(),
      findingHash: takeKey(),
      finding: TEXT,
      mark: STRING(20),
      reason: TEXT,
      at: DATE(3),
    },
    { sequelize, tableName: 'finding_marks' },
  )
  PlanRow.init(
    {
      id: takeKey(),
      gameId: INTEGER,
      takeId: STRING(64),
      revision: INTEGER,
      body: TEXT('medium'),
      changedAt: DATE(3),
      deletedAt: DATE(3),
    },
    { sequelize, tableName: 'plans' },
  )
  BudgetRow.init(
    { gameId: numberKey(), device: { type: STRING(200), primaryKey: true }, body: TEXT },
    { sequelize, tableName: 'budgets' },
  )
  MomentRow.init(
    {
      takeId: takeKey(),
      idx: numberKey(),
      position: numberKey(),
      frame: INTEGER,
      atNs: DOUBLE,
      name: STRING(200),
      data: TEXT,
    },
    { sequelize, tableName: 'moments' },
  )
}
