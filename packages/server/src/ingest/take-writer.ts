import {
  FormatError,
  leftOutProblems,
  pictureHead,
  type ChunkRecord,
  type DeclareRecord,
  type FollowingRecord,
  type LeftOut,
  type ProblemCount,
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
  frameAt,
  hasDetails,
  packDetails,
  packSpans,
  type DigestedChunk,
} from '@lapsus/core/take'
import { Op, QueryTypes, type CreationAttributes, type Transaction } from 'sequelize'
import { createInBatches } from '../store/batches.ts'
import { pack, unpack } from '../store/compression.ts'
import { insertRow } from '../store/insert-row.ts'
import { storeMarkers } from '../store/markers.ts'
import { transact } from '../store/transaction.ts'
import { CHUNK_BLOBS, countsOf, proofOf } from '../store/chunk-proof.ts'
import { chained, crc32 } from '../store/crc32.ts'
import { sqlTime } from '../store/sql-time.ts'
import { identify, type Identity } from './identity.ts'
import { loadProgress } from '../store/take-tables.ts'
import { CommitFailure, forgetTries, setAsideAfter } from './set-aside.ts'
import { tableName, type Store, type TakeRow, type ChunkRow } from '../store/store.ts'

/** Another process took this take over: the stream must start anew. */
export class StaleWriter extends Error {}

/** Told the number of each record that is committed, or passed over, and the chain after it. */
export type Committed = (sequence: number, chain: number | null) => void

/** Bytes of columns in one command, which must keep below the database's packet limit. */
const MOST_COMMAND_BYTES = 8 * 1024 * 1024
/** Kinds of problems that are told apart in one take. */
const MOST_PROBLEMS = 256
/** Records that are worked out or being committed while the next is taken. */
const MOST_IN_FLIGHT = 3

/** What a record adds to its take. */
const SUMS = ['frames', 'spans', 'chunks', 'dropped', 'repaired', 'storedBytes', 'setAside'] as const
type Sums = Partial<Record<(typeof SUMS)[number], number>>
/** Where a take ends with a record that brings frames, ns. */
type Ends = Partial<Record<'endNs' | 'lastFrameStartNs', number>>

/** All that a record changes in its take, in one command; changes nothing where another has written meanwhile. */
const CLAIM = `UPDATE takes SET last_sequence = $sequence, chain = $chain, state = 'recording', touched_at = $now,
  end_ns = COALESCE($endNs, end_ns), last_frame_start_ns = COALESCE($lastFrameStartNs, last_frame_start_ns),
  ${SUMS.map((name) => `${tableName(name)} = ${tableName(name)} + $${name}`).join(', ')}
  WHERE id = $take AND last_sequence = $before AND deleted_at IS NULL`

/** Stores the records of one take, in order, each at most once. */
export class TakeWriter {
  readonly takeId: string
  readonly #store: Store
  readonly #digester: Digester
  readonly #onCommitted: Committed
  /** The last record that was handed in, and the last that is committed. */
  #accepted: number
  #lastSequence: number
  /** After the last record that was handed in, and the last that is committed; null where they are not known. */
  #chain: number | null
  #committedChain: number | null
  #chunks: number
  #storedPaths: number
  readonly #isComplete: boolean
  /** What was wrong with the take's own record: counted with the first after it. */
  #ofHead: ProblemCount[] = []
  /** Records that could not be stored and are passed over: why, by number. */
  readonly #setAside: ReadonlyMap<number, string>
  /** The commits so far, one after the other; rejects for good when one fails. */
  #tail: Promise<void> = Promise.resolve()
  readonly #inFlight: Promise<void>[] = []

  private constructor(
    store: Store,
    row: TakeRow,
    digester: Digester,
    setAside: ReadonlyMap<number, string>,
    onCommitted: Committed,
  ) {
    this.#store = store
    this.takeId = row.id
    this.#isComplete = row.state === 'complete'
    this.#setAside = setAside
    this.#digester = digester
    this.#onCommitted = onCommitted
    this.#lastSequence = this.#accepted = Number(row.lastSequence)
    this.#chain = this.#committedChain = (row.chain ?? null) === null ? null : Number(row.chain)
    this.#chunks = Number(row.chunks)
    this.#storedPaths = digester.progress.paths.all.length
  }

  /** Creates the take, or goes on where it stopped. @throws FormatError when it may not be written to */
  static async open(store: Store, record: TakeRecord): Promise<TakeWriter> {
    return TakeWriter.goOn(store, await identify(store, record), () => {}, record.leftOut)
  }

  static async goOn(
    store: Store,
    { row, isNew }: Pick<Identity, 'row' | 'isNew'>,
    onCommitted: Committed = () => {},
    leftOut: readonly LeftOut[] = [],
  ): Promise<TakeWriter> {
    if (!isNew) await forgetTries(store, row.id, Number(row.lastSequence))
    const progress = isNew ? undefined : await loadProgress(store, row)
    const setAside = isNew
      ? new Map<number, string>()
      : await setAsideAfter(store, row.id, Number(row.lastSequence))
    const writer = new TakeWriter(store, row, new Digester(progress, true), setAside, onCommitted)
    if (isNew) writer.#ofHead = leftOutProblems(leftOut)
    return writer
  }

  /** The last record that is committed. */
  get lastSequence(): number {
    return this.#lastSequence
  }

  /** The chain after it; null where it is not known. */
  get chain(): number | null {
    return this.#committedChain
  }

  /**
   * Takes a record, which is committed after those before it; one that was taken already changes nothing.
   * While it is being committed the next can be worked out: resolves when there is room for that one.
   * @param bytes of the record, as they were sent; null where it was made here
   * @throws FormatError when it does not fit what came before
   */
  async write(record: FollowingRecord, bytes: Uint8Array | null = null): Promise<void> {
    if (record.sequence <= this.#accepted) return
    if (this.#isComplete)
      throw new FormatError('after-end', `take ${this.takeId} is complete with record ${this.#accepted}`)
    if (record.sequence > this.#accepted + 1) {
      throw new FormatError(
        'out-of-sequence',
        `"sequence" is ${record.sequence}, expected ${this.#accepted + 1}`,
      )
    }
    const chain = bytes === null || this.#chain === null ? null : chained(this.#chain, bytes)
    const commit = this.#prepare(record, chain)
    this.#accepted = record.sequence
    this.#chain = chain
    const committed = this.#tail.then(async () => {
      try {
        await commit()
      } catch (error) {
        throw error instanceof StaleWriter ? error : new CommitFailure(record.sequence, error as Error)
      }
      this.#lastSequence = record.sequence
      this.#committedChain = chain
      this.#onCommitted(record.sequence, chain)
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
  #prepare(record: FollowingRecord, chain: number | null): () => Promise<void> {
    const { takeId } = this
    if (this.#setAside.has(record.sequence)) return this.#passOver(record, chain)
    const own = record.record === 'declare' ? [] : record.problems
    const problems = [...this.#ofHead, ...own, ...leftOutProblems(record.leftOut)]
    this.#ofHead = []
    if (record.record === 'declare') return this.#prepareDeclarations(record, chain, problems)
    if (record.record === 'chunk') return this.#prepareChunk(record, chain, problems)
    return () =>
      this.#commit(record.sequence, chain, { dropped: record.dropped }, async (transaction) => {
        await this.#addProblems(problems, transaction)
        await this.#store.takes.update({ state: 'complete' }, { where: { id: takeId }, transaction })
      })
  }

  /** Why a record is passed over; null for one that is stored. */
  whySetAside(sequence: number): string | null {
    return this.#setAside.get(sequence) ?? null
  }

  /** Goes on without a record that could not be stored; the frames in it count as left out. */
  #passOver(record: FollowingRecord, chain: number | null): () => Promise<void> {
    const frames = record.record === 'chunk' ? record.frameStartNs.length : 0
    const dropped = (record.record === 'declare' ? 0 : record.dropped) + frames
    return () => this.#commit(record.sequence, chain, { dropped, setAside: 1 }, async () => {})
  }

  #prepareDeclarations(
    record: DeclareRecord,
    chain: number | null,
    problems: readonly ProblemCount[],
  ): () => Promise<void> {
    const { takeId } = this
    const added = this.#digester.declare(record)
    const markers = [...added.markers, ...added.placed]
    const own = <T extends object>(items: T[]) => items.map((item) => ({ takeId, ...item }))
    return () =>
      this.#commit(record.sequence, chain, {}, async (transaction) => {
        await storeMarkers(this.#store, takeId, markers, transaction)
        await createInBatches(this.#store.lanes, own(added.lanes), { transaction })
        const gauges = added.gauges.map(({ variants, ...gauge }) => ({
          ...gauge,
          variants: variants.length > 0 ? JSON.stringify(variants) : null,
        }))
        await createInBatches(this.#store.gauges, own(gauges), { transaction })
        await createInBatches(this.#store.watches, own(added.watches), { transaction })
        await createInBatches(this.#store.classes, own(added.classes), { transaction })
        await this.#addProblems(problems, transaction)
      })
  }

  #prepareChunk(
    record: ChunkRecord,
    chain: number | null,
    problems: readonly ProblemCount[],
  ): () => Promise<void> {
    const { takeId } = this
    const counts = countsOf(record)
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
      const stored = {
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
      const row = { ...stored, proof: JSON.stringify(proofOf(counts, stored, record, chain)) }
      const blobs = [
        row.frameColumns,
        spanColumns,
        packedCourses,
        row.samples,
        rollup,
        details ?? [],
        courseDetails ?? [],
      ]
      const sizeOf = (sum: number, { length }: { length: number }) => sum + length
      const chunkBytes = blobs.reduce(sizeOf, 0)
      const changes = {
        frames: row.frames,
        spans: row.spans,
        chunks: 1,
        dropped: row.dropped,
        repaired: row.repaired,
        storedBytes: record.pictures.map(({ bytes }) => bytes).reduce(sizeOf, chunkBytes),
        ...endsOf(chunk),
      }
      await this.#commit(record.sequence, chain, changes, async (transaction) => {
        await createInBatches(this.#store.paths, newPaths, { transaction })
        await this.#createChunk(row, chunkBytes, transaction)
        await insertRow(
          this.#store.rollups,
          { takeId, level: 0, idx, body: rollup, crc: crc32(rollup) },
          transaction,
        )
        await this.#rollUp(idx, transaction)
        await createInBatches(this.#store.moments, this.#momentRows(idx, chunk), { transaction })
        for (const picture of pictureRows(takeId, idx, record))
          await this.#store.pictures.create(picture, { transaction })
        await this.#addProblems(problems, transaction)
        if (chunk.stretch !== null) {
          const { cause, at } = chunk.stretch
          const { firstFrame } = chunk
          await this.#store.stretches.create(
            { takeId, idx, firstFrame, cause, at: new Date(at) },
            { transaction },
          )
        }
      })
    }
  }

  /** A chunk that one command cannot hold is written column by column. */
  async #createChunk(
    row: CreationAttributes<ChunkRow>,
    bytes: number,
    transaction: Transaction,
  ): Promise<void> {
    if (bytes <= MOST_COMMAND_BYTES) {
      await insertRow(this.#store.chunks, row, transaction)
      return
    }
    const columns = CHUNK_BLOBS.filter((column) => row[column] !== null)
    const none = Object.fromEntries(columns.map((column) => [column, Buffer.alloc(0)]))
    await insertRow(this.#store.chunks, { ...row, ...none }, transaction)
    const { takeId, idx } = row
    for (const column of columns)
      await this.#store.chunks.update({ [column]: row[column] }, { where: { takeId, idx }, transaction })
  }

  /** Adds to what the recorder had to leave out; kinds beyond the most are not told apart. */
  async #addProblems(problems: readonly ProblemCount[], transaction: Transaction): Promise<void> {
    const { takeId } = this
    for (const { what, about, count } of problems) {
      const where = { takeId, what, about }
      if ((await this.#store.problems.count({ where, transaction })) > 0)
        await this.#store.problems.increment({ count }, { where, transaction })
      else if ((await this.#store.problems.count({ where: { takeId }, transaction })) < MOST_PROBLEMS)
        await this.#store.problems.create({ ...where, count }, { transaction })
    }
  }

  /** Writes the rollups of higher levels that this chunk completes. */
  async #rollUp(chunk: number, transaction: Transaction): Promise<void> {
    const { takeId } = this
    for (const { level, index } of completedBy(chunk)) {
      const parts = await this.#store.rollups.findAll({
        where: {
          takeId,
          level: level - 1,
          idx: { [Op.between]: [index * LEVEL_FACTOR, (index + 1) * LEVEL_FACTOR - 1] },
        },
        transaction,
      })
      // Parts that were too large were not written: then their sum is not, either.
      if (parts.length < LEVEL_FACTOR) return
      const rollups = await Promise.all(parts.map(async (part) => decodeRollup(await unpack(part.body))))
      const body = await pack(encodeRollup(mergeRollups(rollups)))
      if (body.length > MOST_COMMAND_BYTES) return
      await insertRow(this.#store.rollups, { takeId, level, idx: index, body, crc: crc32(body) }, transaction)
    }
  }

  #momentRows(idx: number, { frames, moments, firstFrame }: DigestedChunk) {
    return moments.map(({ name, atNs, data }, position) => {
      const frame = frameAt(frames.startNs, atNs)
      const json = data === null ? null : JSON.stringify(data)
      return { takeId: this.takeId, idx, position, frame: firstFrame + frame, atNs, name, data: json }
    })
  }

  /** One record, one transaction: its rows, the take's sums, and its number as the last one. */
  async #commit(
    sequence: number,
    chain: number | null,
    changes: Sums & Ends,
    writeRows: (transaction: Transaction) => Promise<void>,
  ): Promise<void> {
    await transact(this.#store.database, async (transaction) => {
      // Claiming the sequence number first makes a second writer of the same take fail before it writes.
      const claimed = await this.#claim(sequence, chain, changes, transaction)
      if (claimed !== 1)
        throw new StaleWriter(`take ${this.takeId} is being written elsewhere, or was deleted`)
      await writeRows(transaction)
    })
  }

  /** @returns how many takes were changed: one, or none */
  async #claim(
    sequence: number,
    chain: number | null,
    changes: Sums & Ends,
    transaction: Transaction,
  ): Promise<number> {
    const nothing = Object.fromEntries(SUMS.map((name) => [name, 0]))
    const bind = {
      ...{ take: this.takeId, sequence, chain, before: sequence - 1, endNs: null, lastFrameStartNs: null },
      ...{ ...nothing, now: sqlTime(new Date()) },
      ...changes,
    }
    return this.#store.database.query(CLAIM, { type: QueryTypes.BULKUPDATE, bind, transaction })
  }
}

function endsOf({ frames: { startNs, durationNs } }: DigestedChunk): Ends {
  const lastFrameStartNs = startNs.at(-1)
  return lastFrameStartNs === undefined
    ? {}
    : { lastFrameStartNs, endNs: lastFrameStartNs + durationNs.at(-1)! }
}

const pictureRows = (takeId: string, idx: number, { pictures }: ChunkRecord) =>
  pictures.map(({ atNs, bytes }, position) => ({
    ...{ takeId, idx, position, atNs, bytes: Buffer.from(bytes) },
    ...pictureHead(bytes)!,
  }))
