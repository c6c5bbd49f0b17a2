/** Stored sums of frames. */
import {
  coverChunks,
  decodeRollup,
  LEVEL_FACTOR,
  mergeRollups,
  rollupOf,
  unpackCourseDetails,
  unpackCourses,
  type Rollup,
} from '@lapsus/core/rollup'
import type { PathTable } from '@lapsus/core/take'
import { Op } from 'sequelize'
import { chunkOfFrame } from './chunks.ts'
import { unpack } from './compression.ts'
import type { ChunkRow, Store } from './store.ts'

/**
 * What the frames `from` to `to`, both included, come to. Reads O(log n) rollups and the courses of the two chunks at
 * the ends; never a span.
 * @returns null when the take does not have those frames
 */
export async function rollupOfFrames(
  store: Store,
  takeId: string,
  paths: PathTable,
  from: number,
  to: number,
): Promise<Rollup | null> {
  const [first, last] = await Promise.all([
    chunkOfFrame(store, takeId, from, ['courses', 'courseDetails']),
    chunkOfFrame(store, takeId, to, ['courses', 'courseDetails']),
  ])
  if (first === null || last === null) return null
  const ends =
    first.idx === last.idx
      ? [await partOf(first, paths, from, to + 1)]
      : [await partOf(first, paths, from, Infinity), await partOf(last, paths, 0, to + 1)]
  return mergeRollups([...ends, ...(await stored(store, takeId, first.idx + 1, last.idx))])
}

/** The rollup of a chunk's frames from `from` to before `to`, numbers in the take. */
async function partOf(chunk: ChunkRow, paths: PathTable, from: number, to: number): Promise<Rollup> {
  const courses = unpackCourses(await unpack(chunk.courses))
  if (chunk.courseDetails !== null) {
    courses.details = unpackCourseDetails(await unpack(chunk.courseDetails), courses.frame.length)
  }
  const { firstFrame, frames } = chunk
  return rollupOf(
    courses,
    paths,
    firstFrame,
    Math.max(0, from - firstFrame),
    Math.min(frames, to - firstFrame),
  )
}

/** The rollups, of the highest levels that were written, below one that was not. */
async function below(store: Store, takeId: string, level: number, index: number): Promise<Rollup[]> {
  const parts: Rollup[] = []
  for (let child = index * LEVEL_FACTOR; child < (index + 1) * LEVEL_FACTOR; child++) {
    const row = await store.rollups.findOne({ where: { takeId, level: level - 1, idx: child }, raw: true })
    if (row !== null) parts.push(decodeRollup(await unpack(row.body)))
    else if (level > 1) parts.push(...(await below(store, takeId, level - 1, child)))
  }
  return parts
}

/** The stored rollups of the chunks `from` to before `to`. */
async function stored(store: Store, takeId: string, from: number, to: number): Promise<Rollup[]> {
  const nodes = coverChunks(from, to)
  if (nodes.length === 0) return []
  const rows = await store.rollups.findAll({
    where: { takeId, [Op.or]: nodes.map(({ level, index }) => ({ level, idx: index })) },
    raw: true,
  })
  const found = await Promise.all(rows.map(async (row) => decodeRollup(await unpack(row.body))))
  if (rows.length === nodes.length) return found
  // A rollup that would have been too large was not written: those below it say the same.
  const known = new Set(rows.map(({ level, idx }) => `${level} ${idx}`))
  const missing = nodes.filter(({ level, index }) => level > 0 && !known.has(`${level} ${index}`))
  for (const { level, index } of missing) found.push(...(await below(store, takeId, level, index)))
  return found
}
