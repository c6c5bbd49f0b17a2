import {
  FormatError,
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
  packCourseDetails,
  packCourses,
  rollupOf,
} from '@lapsus/core/rollup'
import {
  Digester,
  encodeFrames,
  encodeSamples,
  hasDetails,
  packDetails,
  packSpans,
  type DigestedChunk,
} from '@lapsus/core/take'
import { Op, type Sequelize, type Transaction } from 'sequelize'
import { pack, unpack } from '../database/compression.ts'
import {
  ChunkRow,
  ClassRow,
  GameRow,
  GaugeRow,
  LaneRow,
  MarkerRow,
  MomentRow,
  PathRow,
  RollupRow,
  StretchRow,
  TakeRow,
  WatchRow,
} from '../database/models.ts'
import { loadProgress } from './progress.ts'

/** Another process took this take over: the stream must start anew. */
export class StaleWriter extends Error {}

/** Records that are worked out or being committed while the next is taken. */
const MOST_IN_FLIGHT = 3

/** Stores the records of one take, in order, each at most once. */
export class TakeWriter {
  readonly takeId: string
  readonly #database: Sequelize
  readonly #digester: Digester
  readonly #onCommitted: (sequence: number) => void
  /** The last record that was handed in, and the last that is committed. */
  #accepted: number
  #lastSequence: number
  #chunks: number
  #storedPaths: number
  /** The commits so far, one after the other; rejects for good when one fails. */
  #tail: Promise<void> = Promise.resolve()
  readonly #inFlight: Promise<void>[] = []

  private constructor(
    database: Sequelize,
    row: TakeRow,
    digester: Digester,
    onCommitted: (sequence: number) => void,
  ) {
    this.#database = database
    this.takeId = row.id
    this.#digester = digester
    this.#onCommitted = onCommitted
    this.#lastSequence = this.#accepted = Number(row.lastSequence)
    this.#chunks = Number(row.chunks)
    this.#storedPaths = digester.progress.paths.all.length
  }

  /** Creates the take, or goes on where it stopped. @throws FormatError when it may not be written to */
  static async open(
    database: Sequelize,
    record: TakeRecord,
    onCommitted: (sequence: number) => void = () => {},
  ): Promise<TakeWriter> {
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
    return new TakeWriter(
      database,
      row,
      new Digester(isNew ? undefined : await loadProgress(row)),
      onCommitted,
    )
  }

  /** The last record that is committed. */
  get lastSequence(): number {
    return this.#lastSequence
  }

  /**
   * Takes a record, which is committed after those before it; one that was taken already changes nothing.
   * While it is being committed the next can be worked out: resolves when there is room for that one.
   * @throws FormatError when it does not fit what came before
   */
  async write(record: FollowingRecord): Promise<void> {
    if (record.sequence <= this.#accepted) return
    if (record.sequence > this.#accepted + 1) {
      throw new FormatError(
        'out-of-sequence',
        `"sequence" is ${record.sequence}, expected ${this.#accepted + 1}`,
      )
    }
    const store = this.#prepare(record)
    this.#accepted = record.sequence
    const committed = this.#tail.then(store).then(() => {
      this.#lastSequence = record.sequence
      this.#onCommitted(record.sequence)
    })
    committed.catch(() => {})
    this.#tail = committed
    this.#inFlight.push(committed)
    if (this.#inFlight.length >= MOST_IN_FLIGHT) await this.#inFlight.shift()
  }

  /** Resolves when everything taken so far is committed. @throws whatever made a commit fail */
  async settled(): Promise<void> {
    await this.#tail
  }

  /** Does at once what needs no database; the result does the rest. */
  #prepare(record: FollowingRecord): () => Promise<void> {
    if (record.record === 'declare') return this.#prepareDeclarations(record)
    if (record.record === 'chunk') return this.#prepareChunk(record)
    return () => this.#commit(record.sequence, { dropped: record.dropped }, async () => {})
  }

  #prepareDeclarations(record: DeclareRecord): () => Promise<void> {
    const { takeId } = this
    const added = this.#digester.declare(record)
    const json = (list: unknown[]) => (list.length > 0 ? JSON.stringify(list) : null)
    const markers = added.markers.map(({ id, name, group, groupId, kind, tags, watches }) => ({
      takeId,
      id,
      name,
      markerGroup: group,
      groupId,
      kind,
      tags: json(tags),
      watches: json(watches),
    }))
    const own = <T extends object>(items: T[]) => items.map((item) => ({ takeId, ...item }))
    return () =>
      this.#commit(record.sequence, {}, async (transaction) => {
        await MarkerRow.bulkCreate(markers, { transaction })
        await LaneRow.bulkCreate(own(added.lanes), { transaction })
        await GaugeRow.bulkCreate(own(added.gauges), { transaction })
        await WatchRow.bulkCreate(own(added.watches), { transaction })
        await ClassRow.bulkCreate(own(added.classes), { transaction })
      })
  }

  #prepareChunk(record: ChunkRecord): () => Promise<void> {
    const { takeId } = this
    const { paths } = this.#digester.progress
    const chunk = this.#digester.digest(record)
    const courses = coursesOf(chunk, paths)
    const packed = Promise.all([
      pack(packSpans(chunk.spans, chunk.frames.startNs, paths)),
      pack(packCourses(courses)),
      pack(encodeRollup(rollupOf(courses, paths, chunk.firstFrame))),
      hasDetails(chunk.details) ? pack(packDetails(chunk.details)) : null,
      courses.details === null ? null : pack(packCourseDetails(courses.details)),
    ])
    packed.catch(() => {})
    const idx = this.#chunks++
    const newPaths = paths.all
      .slice(this.#storedPaths)
      .map(({ id, parent, lane, marker }) => ({ takeId, id, parent, lane, marker }))
    this.#storedPaths = paths.all.length

    return async () => {
      const [spanColumns, packedCourses, rollup, details, courseDetails] = await packed
      const row = {
        takeId,
        idx,
        sequence: record.sequence,
        firstFrame: chunk.firstFrame,
        frames: chunk.frames.startNs.length,
        spans: chunk.spans.path.length,
        dropped: chunk.dropped,
        repaired: chunk.repaired,
        frameColumns: Buffer.from(encodeFrames(chunk.frames)),
        spanColumns,
        courses: packedCourses,
        samples: Buffer.from(encodeSamples(chunk.samples)),
        details,
        courseDetails,
      }
      const blobs = [
        row.frameColumns,
        spanColumns,
        packedCourses,
        row.samples,
        rollup,
        details ?? [],
        courseDetails ?? [],
      ]
      const sums = {
        frames: row.frames,
        spans: row.spans,
        chunks: 1,
        dropped: row.dropped,
        repaired: row.repaired,
        storedBytes: blobs.reduce((sum, blob) => sum + blob.length, 0),
      }
      await this.#commit(record.sequence, sums, async (transaction) => {
        await PathRow.bulkCreate(newPaths, { transaction })
        await ChunkRow.create(row, { transaction })
        await RollupRow.create({ takeId, level: 0, idx, body: rollup }, { transaction })
        await this.#rollUp(idx, transaction)
        await MomentRow.bulkCreate(this.#momentRows(idx, chunk), { transaction })
        if (chunk.stretch !== null) {
          const { cause, at } = chunk.stretch
          const { firstFrame } = chunk
          await StretchRow.create({ takeId, idx, firstFrame, cause, at: new Date(at) }, { transaction })
        }
        if (row.frames > 0) {
          const lastFrameStartNs = chunk.frames.startNs.at(-1)!
          const endNs = lastFrameStartNs + chunk.frames.durationNs.at(-1)!
          await TakeRow.update({ endNs, lastFrameStartNs }, { where: { id: takeId }, transaction })
        }
      })
    }
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
