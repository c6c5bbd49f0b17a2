/** Takes as studies: read from the courses of their chunks, kept for a while. */
import type { Conditions } from '@lapsus/core/format'
import { gatherEvidence, type Evidence } from '@lapsus/core/detect'
import {
  buildStudy,
  encodeStoredChunk,
  frameCount,
  partOfStudy,
  studyChunkOf,
  studyWithoutRecorder,
  type StoredChunk,
  type Study,
  type StudyChunk,
} from '@lapsus/core/study'
import { literal, Op } from 'sequelize'
import { takeMoments, takeStretches } from '../../store/moments.ts'
import { unpack } from '../../store/compression.ts'
import { RecentlyUsed } from '../../store/recently-used.ts'
import type { ChunkRow, Store, TakeFields } from '../../store/store.ts'
import { tablesOf } from '../../store/take-tables.ts'

/** Which frames of a take, and how they are judged. */
export interface StudyQuery {
  /** First and last frame, both included; null for all. */
  range: { from: number; to: number } | null
  /** Frames a second. */
  target: number
  /** Whether the recorder's estimated share is taken out. */
  withoutRecorder: boolean
}

/** A study of 36,000 frames and 60 paths takes about 100 MB. */
const MOST_STUDIES = 2
/** Each holds the columns of its own frames. */
const MOST_EVIDENCE = 2
/** Chunks whose blobs are read at once. */
const READ_AT_ONCE = 64
/** Fewer chosen frames than one in so many are read by themselves. */
const SHORT = 4

/** What answers are worked out from. */
export interface Sources {
  store: Store
  studies: Studies
}

export class Studies {
  readonly #store: Store
  readonly #studies = new RecentlyUsed<Promise<Study>>(MOST_STUDIES)
  readonly #evidence = new RecentlyUsed<Promise<Evidence>>(MOST_EVIDENCE)

  constructor(store: Store) {
    this.#store = store
  }

  /** All frames of a take, as recorded, by its own target. */
  study(row: TakeFields): Promise<Study> {
    // A take that is still being recorded has more chunks the next time.
    return this.#studies.get(`${row.id} ${row.chunks}`, () => readStudy(this.#store, row))
  }

  /** The chosen frames with their courses, and nothing worked out: of few frames only their chunks are read. */
  async part(row: TakeFields, { range, target, withoutRecorder }: StudyQuery): Promise<Study> {
    const isShort = range !== null && (range.to - range.from + 1) * SHORT < Number(row.frames)
    const study = isShort ? await readStudy(this.#store, row, range) : await this.study(row)
    const first = range === null ? 0 : range.from - study.firstFrame
    const end =
      range === null ? frameCount(study) : Math.min(frameCount(study), range.to + 1 - study.firstFrame)
    const chosen = partOfStudy({ ...study, target }, first, end)
    return withoutRecorder ? studyWithoutRecorder(chosen) : chosen
  }

  evidence(row: TakeFields, { range, target, withoutRecorder }: StudyQuery): Promise<Evidence> {
    const key = [row.id, row.chunks, range?.from, range?.to, target, withoutRecorder].join(' ')
    return this.#evidence.get(key, async () => {
      const whole = { ...(await this.study(row)), target }
      const study = withoutRecorder ? studyWithoutRecorder(whole) : whole
      const to = Math.min(frameCount(study), (range?.to ?? Infinity) + 1)
      return gatherEvidence(partOfStudy(study, range?.from ?? 0, to))
    })
  }
}

/** @param range only the chunks that hold any of these frames; all without */
async function readStudy(store: Store, row: TakeFields, range: StudyQuery['range'] = null): Promise<Study> {
  const [tables, moments, stretches] = await Promise.all([
    tablesOf(store, row),
    takeMoments(store, row.id),
    takeStretches(store, row.id),
  ])
  const begins = new Set(stretches.map(({ firstFrame }) => firstFrame))
  const chunks: StudyChunk[] = []
  let firstFrame = Infinity
  for await (const { chunks: stored, first } of storedChunks(store, row.id, begins, range)) {
    firstFrame = Math.min(firstFrame, first)
    chunks.push(...(await Promise.all(stored.map((chunk) => studyChunkOf(chunk, unpack)))))
  }
  const conditions = JSON.parse(row.conditions) as Conditions
  const study = buildStudy({ conditions, target: row.target, ...tables }, chunks)
  if (range === null) return { ...study, moments }
  return { ...study, firstFrame: Number.isFinite(firstFrame) ? firstFrame : range.from }
}

const within = (range: StudyQuery['range']) =>
  range === null
    ? {}
    : {
        firstFrame: { [Op.lte]: range.to },
        [Op.and]: literal(`first_frame + frames > ${Math.floor(range.from)}`),
      }

/**
 * The chunks of a take as they are stored, some at a time; while these are used, the next are read.
 * @param begins first frames of kept stretches
 */
async function* storedChunks(
  store: Store,
  takeId: string,
  begins: ReadonlySet<number>,
  range: StudyQuery['range'] = null,
): AsyncGenerator<{ chunks: StoredChunk[]; first: number }> {
  const readFrom = (index: number): Promise<ChunkRow[]> =>
    store.chunks.findAll({
      attributes: ['idx', 'firstFrame', 'dropped', 'frameColumns', 'courses', 'courseDetails', 'samples'],
      where: { takeId, idx: { [Op.gte]: index }, ...within(range) },
      order: [['idx', 'ASC']],
      limit: READ_AT_ONCE,
      raw: true,
    })
  let next: Promise<ChunkRow[]> | null = readFrom(0)
  while (next !== null) {
    const rows: ChunkRow[] = await next
    next = rows.length < READ_AT_ONCE ? null : readFrom(rows.at(-1)!.idx + 1)
    // Whoever stops in between does not await it.
    next?.catch(() => {})
    const chunks = rows.map((chunk) => ({
      frames: chunk.frameColumns,
      courses: chunk.courses,
      courseDetails: chunk.courseDetails,
      samples: chunk.samples,
      beginsStretch: begins.has(chunk.firstFrame),
      dropped: Number(chunk.dropped),
    }))
    yield { chunks, first: rows[0]?.firstFrame ?? Infinity }
  }
}

/** All that a study of a take is made of besides its detail: for whoever computes on it elsewhere. */
export async function* studyBytes(store: Store, takeId: string): AsyncGenerator<Uint8Array> {
  const begins = new Set((await takeStretches(store, takeId)).map(({ firstFrame }) => firstFrame))
  for await (const { chunks } of storedChunks(store, takeId, begins)) yield* chunks.map(encodeStoredChunk)
}
