/** The chunks of a take as they are stored: what studies are made of, without any span. */
import { encodeStoredChunk, type StoredChunk } from '@lapsus/core/study'
import { literal, Op } from 'sequelize'
import type { ChunkRow, Store } from '../../store/store.ts'

/** Frames of a take, both included. */
export interface FrameRange {
  from: number
  to: number
}

/** Chunks whose blobs are read at once. */
const READ_AT_ONCE = 64

interface ChunkBatch {
  chunks: StoredChunk[]
  /** Number of the first one's first frame. */
  firstFrame: number
  /** Number of the chunk after the last one. */
  next: number
}

const within = (range: FrameRange | null) =>
  range === null
    ? {}
    : {
        firstFrame: { [Op.lte]: range.to },
        [Op.and]: literal(`first_frame + frames > ${Math.floor(range.from)}`),
      }

/**
 * Chunks in order, some at a time; while these are used, the next are read.
 * @param begin number of the first chunk
 * @param range only those that hold any of these frames; all without
 */
export async function* storedChunks(
  store: Store,
  takeId: string,
  begin = 0,
  range: FrameRange | null = null,
): AsyncGenerator<ChunkBatch> {
  let next: Promise<ChunkRow[]> | null = readFrom(store, takeId, begin, range)
  while (next !== null) {
    const rows: ChunkRow[] = await next
    const after = (rows.at(-1)?.idx ?? -1) + 1
    next = rows.length < READ_AT_ONCE ? null : readFrom(store, takeId, after, range)
    // Whoever stops in between does not await it.
    next?.catch(() => {})
    if (rows.length === 0) return
    const begins = await stretchesAt(store, takeId, rows)
    const chunks = rows.map((chunk) => ({
      frames: chunk.frameColumns,
      courses: chunk.courses,
      courseDetails: chunk.courseDetails,
      samples: chunk.samples,
      beginsStretch: begins.has(chunk.idx),
      dropped: Number(chunk.dropped),
    }))
    yield { chunks, firstFrame: rows[0]!.firstFrame, next: after }
  }
}

const readFrom = (store: Store, takeId: string, begin: number, range: FrameRange | null) =>
  store.chunks.findAll({
    attributes: ['idx', 'firstFrame', 'dropped', 'frameColumns', 'courses', 'courseDetails', 'samples'],
    where: { takeId, idx: { [Op.gte]: begin }, ...within(range) },
    order: [['idx', 'ASC']],
    limit: READ_AT_ONCE,
    raw: true,
  })

/** Which of the chunks begin a kept stretch. Asked after the chunks, with which that is stored. */
async function stretchesAt(store: Store, takeId: string, rows: readonly ChunkRow[]): Promise<Set<number>> {
  const stretches = await store.stretches.findAll({
    attributes: ['idx'],
    where: { takeId, idx: rows.map(({ idx }) => idx) },
    raw: true,
  })
  return new Set(stretches.map(({ idx }) => idx))
}

/** All that a study of a take is made of besides its detail: for whoever computes on it elsewhere. */
export async function* studyBytes(store: Store, takeId: string): AsyncGenerator<Uint8Array> {
  for await (const { chunks } of storedChunks(store, takeId)) yield* chunks.map(encodeStoredChunk)
}
