import type { LedgerResponse, LedgerRowDto } from '@lapsus/api'
import { scopedLedger, type LedgerScope } from '@lapsus/core/detect'
import type { RecorderFigures } from '@lapsus/core/format'
import {
  coverChunks,
  DETAIL_SUMS,
  decodeRollup,
  ledgerRows,
  LEVEL_FACTOR,
  mergeRollups,
  rollupOf,
  unpackCourseDetails,
  unpackCourses,
  withoutRecorder,
  type DetailSums,
  type LedgerBy,
  type LedgerRow,
  type Rollup,
} from '@lapsus/core/rollup'
import { NS_PER_MS, type PathTable } from '@lapsus/core/take'
import { Op } from 'sequelize'
import { unpack } from '../store/compression.ts'
import type { Sources, StudyQuery } from '../diagnosis/studies.ts'
import { tablesOf } from '../store/take-tables.ts'
import { chunkOfFrame } from '../store/chunks.ts'
import type { Store, TakeRow, ChunkRow } from '../store/store.ts'

/**
 * What the frames `from` to `to`, both included, spent. Reads O(log n) rollups and the courses of the two
 * chunks at the ends; never a span.
 * @param without the recorder's figures, to have its estimated share taken out
 * @returns null when the take does not have those frames
 */
export async function ledger(
  store: Store,
  row: TakeRow,
  from: number,
  to: number,
  by: LedgerBy,
  without: RecorderFigures | null = null,
): Promise<LedgerResponse | null> {
  const takeId = row.id
  const [first, last, { paths }] = await Promise.all([
    chunkOfFrame(store, takeId, from, ['courses', 'courseDetails']),
    chunkOfFrame(store, takeId, to, ['courses', 'courseDetails']),
    tablesOf(store, row),
  ])
  if (first === null || last === null) return null
  const sameChunk = first.idx === last.idx
  const ends = sameChunk
    ? [await partOf(first, paths, from, to + 1)]
    : [await partOf(first, paths, from, Infinity), await partOf(last, paths, 0, to + 1)]
  const rollup = mergeRollups([...ends, ...(await stored(store, takeId, first.idx + 1, last.idx))])
  const recorded = ledgerRows(rollup, by)
  const shown = without === null ? recorded : withoutRecorder(recorded, rollup, by, paths, without)
  return {
    ...{ from, to, by, scope: 'chosen', withoutRecorder: without !== null },
    frames: to - from + 1,
    durationMs: null,
    rows: shown.map(toDto),
  }
}

/** The same for spikes, typical frames, or what the first have more than the second. */
export async function ledgerOfScope(
  { studies }: Sources,
  row: TakeRow,
  query: StudyQuery & { range: { from: number; to: number } },
  scope: LedgerScope,
  by: LedgerBy,
): Promise<LedgerResponse> {
  const evidence = await studies.evidence(row, query)
  const { rows, frames, durationMs } = scopedLedger(evidence, scope, by)
  const { from, to } = query.range
  const { withoutRecorder } = query
  return { from, to, by, scope, withoutRecorder, frames, durationMs, rows: rows.map(toDto) }
}

const toDto = (row: LedgerRow): LedgerRowDto => ({
  ...(Object.fromEntries(DETAIL_SUMS.map((sum) => [sum, row[sum]])) as unknown as DetailSums),
  key: row.key,
  calls: row.calls,
  frames: row.frames,
  selfMs: row.selfNs / NS_PER_MS,
  totalMs: row.totalNs / NS_PER_MS,
  selfP99Ms: row.selfP99Ns / NS_PER_MS,
  worstSelfMs: row.worstSelfNs / NS_PER_MS,
  worstFrame: row.worstFrame,
})

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
