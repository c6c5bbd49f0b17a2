import {
  encodeCbor,
  FormatError,
  narrow,
  type ChunkRecord,
  type DeclareRecord,
  type FollowingRecord,
  type TakeRecord,
} from '@lapsus/core/format'
import {
  completedBy,
  coursesOf,
  decodeRollup,
  encodeRollup,
  LEVEL_FACTOR,
  mergeRollups,
  packCourses,
  rollupOf,
} from '@lapsus/core/rollup'
import { Digester, encodeFrames, packSpans, type DigestedChunk } from '@lapsus/core/take'
import { Op, type Sequelize, type Transaction } from 'sequelize'
import { pack, unpack } from '../database/compression.ts'
import {
  ChunkRow,
  GameRow,
  GaugeRow,
  LaneRow,
  MarkerRow,
  MomentRow,
  PathRow,
  RollupRow,
  TakeRow,
} from '../database/models.ts'
import { loadProgress } from './progress.ts'

/** Another process took this take over: the stream must start anew. */
export class StaleWriter extends Error {}

/** Stores the records of one take, in order, each at most once. */
export class TakeWriter {
  readonly takeId: string
  readonly #database: Sequelize
  readonly #digester: Digester
  #lastSequence: number
  #chunks: number
  #storedPaths: number

  private constructor(database: Sequelize, row: TakeRow, digester: Digester) {
    this.#database = database
    this.takeId = row.id
    this.#digester = digester
    this.#lastSequence = Number(row.lastSequence)
    this.#chunks = Number(row.chunks)
    this.#storedPaths = digester.progress.paths.all.length
  }

  /** Creates the take, or goes on where it stopped. @throws FormatError when it may not be written to */
  static async open(database: Sequelize, record: TakeRecord): Promise<TakeWriter> {
    const [game] = await GameRow.findOrCreate({
      where: { name: record.game },
      defaults: { name: record.game },
    })
    const [row, isNew] = await TakeRow.findOrCreate({
      where: { id: record.take },
      defaults: {
        id: record.take,
        gameId: game.id,
        name: '',
        note: '',
        state: 'recording',
        started: new Date(record.started),
        target: record.target,
        conditions: JSON.stringify(record.conditions),
        touchedAt: new Date(),
      },
    })
    if (row.gameId !== game.id)
      throw new FormatError('bad-field', `"take" ${record.take} to be a take of the same game`)
    if (row.deletedAt !== null && !isNew)
      throw new FormatError('bad-field', `"take" ${record.take} not to be a deleted one`)
    return new TakeWriter(database, row, new Digester(isNew ? undefined : await loadProgress(row)))
  }

  /** The last record that is committed. */
  get lastSequence(): number {
    return this.#lastSequence
  }

  /**
   * Commits a record; one that is committed already changes nothing.
   * @throws FormatError when it does not fit what came before
   */
  async write(record: FollowingRecord): Promise<void> {
    if (record.sequence <= this.#lastSequence) return
    if (record.sequence > this.#lastSequence + 1) {
      throw new FormatError(
        'out-of-sequence',
        `"sequence" is ${record.sequence}, expected ${this.#lastSequence + 1}`,
      )
    }
    if (record.record === 'declare') await this.#writeDeclarations(record)
    else if (record.record === 'chunk') await this.#writeChunk(record)
    else await this.#commit(record.sequence, { dropped: record.dropped }, async () => {})
    this.#lastSequence = record.sequence
  }

  async #writeDeclarations(record: DeclareRecord): Promise<void> {
    const { takeId } = this
    const added = this.#digester.declare(record)
    await this.#commit(record.sequence, {}, async (transaction) => {
      const rows = added.markers.map(({ id, name, group, groupId, kind }) => ({
        takeId,
        id,
        name,
        markerGroup: group,
        groupId,
        kind,
      }))
      await MarkerRow.bulkCreate(rows, { transaction })
      await LaneRow.bulkCreate(
        added.lanes.map(({ id, name }) => ({ takeId, id, name })),
        { transaction },
      )
      await GaugeRow.bulkCreate(
        added.gauges.map(({ id, name, unit }) => ({ takeId, id, name, unit })),
        { transaction },
      )
    })
  }

  async #writeChunk(record: ChunkRecord): Promise<void> {
    const { takeId } = this
    const { paths } = this.#digester.progress
    const chunk = this.#digester.digest(record)
    const courses = coursesOf(chunk)
    const [spanColumns, packedCourses, rollup] = await Promise.all([
      pack(packSpans(chunk.spans, chunk.frames.startNs, paths)),
      pack(packCourses(courses)),
      pack(encodeRollup(rollupOf(courses, paths, chunk.firstFrame))),
    ])
    const row = {
      takeId,
      idx: this.#chunks,
      sequence: record.sequence,
      firstFrame: chunk.firstFrame,
      frames: chunk.frames.startNs.length,
      spans: chunk.spans.path.length,
      dropped: chunk.dropped,
      repaired: chunk.repaired,
      frameColumns: Buffer.from(encodeFrames(chunk.frames)),
      spanColumns,
      courses: packedCourses,
      samples: Buffer.from(
        encodeCbor(chunk.gauges.map(({ gauge, frame, value }) => ({ gauge, frame: narrow(frame), value }))),
      ),
    }
    const endNs = row.frames === 0 ? 0 : chunk.frames.startNs.at(-1)! + chunk.frames.durationNs.at(-1)!
    const sums = {
      frames: row.frames,
      spans: row.spans,
      chunks: 1,
      dropped: row.dropped,
      repaired: row.repaired,
      storedBytes:
        row.frameColumns.length +
        spanColumns.length +
        packedCourses.length +
        row.samples.length +
        rollup.length,
    }
    await this.#commit(record.sequence, sums, async (transaction) => {
      const newPaths = paths.all
        .slice(this.#storedPaths)
        .map(({ id, parent, lane, marker }) => ({ takeId, id, parent, lane, marker }))
      await PathRow.bulkCreate(newPaths, { transaction })
      await ChunkRow.create(row, { transaction })
      await RollupRow.create({ takeId, level: 0, idx: row.idx, body: rollup }, { transaction })
      await this.#rollUp(row.idx, transaction)
      await MomentRow.bulkCreate(this.#momentRows(row.idx, chunk), { transaction })
      if (row.frames > 0) {
        const lastFrameStartNs = chunk.frames.startNs.at(-1)!
        await TakeRow.update({ endNs, lastFrameStartNs }, { where: { id: takeId }, transaction })
      }
    })
    this.#chunks++
    this.#storedPaths = paths.all.length
  }

  /** Writes the rollups of higher levels that this chunk completes. */
  async #rollUp(chunk: number, transaction: Transaction): Promise<void> {
    const { takeId } = this
    for (const { level, index } of completedBy(chunk)) {
      const parts = await RollupRow.findAll({
        where: {
          takeId,
          level: level - 1,
          idx: { [Op.between]: [index * LEVEL_FACTOR, (index + 1) * LEVEL_FACTOR - 1] },
        },
        transaction,
      })
      const rollups = await Promise.all(parts.map(async (part) => decodeRollup(await unpack(part.body))))
      await RollupRow.create(
        { takeId, level, idx: index, body: await pack(encodeRollup(mergeRollups(rollups))) },
        { transaction },
      )
    }
  }

  #momentRows(idx: number, { frames, moments, firstFrame }: DigestedChunk) {
    return moments.map(({ name, atNs, data }, position) => {
      let frame = 0
      while (frame + 1 < frames.startNs.length && frames.startNs[frame + 1]! <= atNs) frame++
      const json = data === null ? null : JSON.stringify(data)
      return { takeId: this.takeId, idx, position, frame: firstFrame + frame, atNs, name, data: json }
    })
  }

  /** One record, one transaction: its rows, the take's sums, and its number as the last one. */
  async #commit(
    sequence: number,
    sums: Partial<Record<'frames' | 'spans' | 'chunks' | 'dropped' | 'repaired' | 'storedBytes', number>>,
    writeRows: (transaction: Transaction) => Promise<void>,
  ): Promise<void> {
    await this.#database.transaction(async (transaction) => {
      // Claiming the sequence number first makes a second writer of the same take fail before it writes.
      const [claimed] = await TakeRow.update(
        { lastSequence: sequence, state: 'recording', touchedAt: new Date() },
        { where: { id: this.takeId, lastSequence: sequence - 1, deletedAt: null }, transaction },
      )
      if (claimed !== 1)
        throw new StaleWriter(`take ${this.takeId} is being written elsewhere, or was deleted`)
      if (Object.keys(sums).length > 0)
        await TakeRow.increment(sums, { where: { id: this.takeId }, transaction })
      await writeRows(transaction)
    })
  }
}
