/**
 * Sums over a set of frames that add up: rollups of neighbouring frames merge into the rollup of both.
 * Per path, per marker and per group of each lane.
 */
import { LIMITS } from '../format/index.ts'
import { bucketOf, BUCKETS } from '../stats/index.ts'
import type { Path, PathTable } from '../take/index.ts'
import { DETAIL_SUMS, noDetails, type DetailSums } from './course-details.ts'
import type { Courses } from './courses.ts'

/** One element a row in each column up to `bucketEnd`; rows in ascending order of key. */
export interface RollupTable {
  key: Float64Array
  calls: Float64Array
  selfNs: Float64Array
  totalNs: Float64Array
  /** Frames in which the row ran at all. */
  frames: Uint32Array
  /** Sums of CourseDetails' columns; null where no run said anything about itself. */
  details: DetailColumns | null
  /** Largest self time in one frame, and that frame's number in the take. */
  worstSelfNs: Float64Array
  worstFrame: Uint32Array
  /** For each row, the index after its last bucket. */
  bucketEnd: Uint32Array
  /** Sketch of the self time per frame it ran in (stats/sketch.ts), ascending within a row. */
  bucket: Uint16Array
  bucketCount: Uint32Array
}

export type DetailColumns = Record<keyof DetailSums, Float64Array>

export interface Rollup {
  /** Frames rolled up, with or without spans. */
  frames: number
  /** Key: the path's number. */
  paths: RollupTable
  /** Key: laneKey(lane, marker). */
  markers: RollupTable
  /** Key: laneKey(lane, group number). */
  groups: RollupTable
}

/** Markers and groups are kept apart by lane: time on a worker is not time of the frame. */
export const laneKey = (lane: number, id: number) => lane * LIMITS.markers + id
export const laneOfKey = (key: number) => Math.floor(key / LIMITS.markers)
export const idOfKey = (key: number) => key % LIMITS.markers

export const LEDGER_KEYS = ['path', 'marker', 'group'] as const
export type LedgerBy = (typeof LEDGER_KEYS)[number]

/** The row that a path belongs to. */
export const ledgerKey = ({ id, lane, marker, group }: Path, by: LedgerBy): number =>
  by === 'path' ? id : laneKey(lane, by === 'marker' ? marker : group)

/** Whether a path's total is part of its row's: what runs inside another of the same row is in it already. */
export const countsInTotal = ({ outermostOfMarker, outermostOfGroup }: Path, by: LedgerBy): boolean =>
  by === 'path' || (by === 'marker' ? outermostOfMarker : outermostOfGroup)

/** One path's cells: the elements `first` to before `end` of columns, in order of frames. */
export interface PathCells {
  path: number
  columns: Pick<Courses, 'frame' | 'calls' | 'selfNs' | 'totalNs' | 'details'>
  first: number
  end: number
}

/** Which frames of some cells are rolled up. */
export interface RolledFrames {
  from: number
  to: number
  /** Number in the take of frame 0. */
  firstFrame: number
  /** 1 for each frame that counts; null for all of them. */
  use: Uint8Array | null
}

/**
 * Rolls up frames `from` to before `to` of a chunk.
 * @param firstFrame number in the take of the chunk's frame 0
 */
export function rollupOf(
  courses: Courses,
  paths: PathTable,
  firstFrame: number,
  from = 0,
  to = courses.frames,
): Rollup {
  const cells = Array.from(courses.path, (path, i): PathCells => ({
    path,
    columns: courses,
    first: i === 0 ? 0 : courses.cellEnd[i - 1]!,
    end: courses.cellEnd[i]!,
  }))
  const table = (by: LedgerBy) => rollupTable(cells, paths, by, { from, to, firstFrame, use: null })
  return { frames: to - from, paths: table('path'), markers: table('marker'), groups: table('group') }
}

/** Adds up the paths that share a key, frame by frame, then over the frames. */
export function rollupTable(
  cells: readonly PathCells[],
  paths: PathTable,
  by: LedgerBy,
  { from, to, firstFrame, use }: RolledFrames,
): RollupTable {
  const members = new Map<number, PathCells[]>()
  for (const one of cells) {
    const key = ledgerKey(paths.get(one.path), by)
    const known = members.get(key)
    if (known === undefined) members.set(key, [one])
    else known.push(one)
  }
  const rows = new TableBuilder()
  const ran = new FramesOfRow(to - from)
  for (const key of [...members.keys()].sort((a, b) => a - b)) {
    ran.clear()
    const own = members.get(key)!
    let calls = 0
    let totalNs = 0
    const details = own.some(({ columns }) => columns.details !== null) ? noDetails() : null
    for (const { path, columns, first, end } of own) {
      const addTotal = countsInTotal(paths.get(path), by)
      for (let cell = first; cell < end; cell++) {
        const frame = columns.frame[cell]!
        if (frame < from || frame >= to || (use !== null && use[frame] === 0)) continue
        ran.add(frame - from, columns.selfNs[cell]!)
        calls += columns.calls[cell]!
        if (addTotal) totalNs += columns.totalNs[cell]!
        if (columns.details !== null)
          for (const sum of DETAIL_SUMS) details![sum] += columns.details[sum][cell]!
      }
    }
    if (calls > 0) rows.addFrames({ key, calls, totalNs, details }, ran, firstFrame + from)
  }
  return rows.table()
}

/**
 * Self time by frame, of the frames in which a row ran. Costs what those frames cost, however many others the chunk
 * has: else a chunk of many frames and many paths would cost their product.
 */
class FramesOfRow {
  readonly #selfNs: Float64Array
  readonly #isIn: Uint8Array
  readonly #frames: Uint32Array
  count = 0

  constructor(frames: number) {
    this.#selfNs = new Float64Array(frames)
    this.#isIn = new Uint8Array(frames)
    this.#frames = new Uint32Array(frames)
  }

  clear(): void {
    for (let i = 0; i < this.count; i++) {
      this.#isIn[this.#frames[i]!] = 0
      this.#selfNs[this.#frames[i]!] = 0
    }
    this.count = 0
  }

  add(frame: number, selfNs: number): void {
    if (this.#isIn[frame] === 0) {
      this.#isIn[frame] = 1
      this.#frames[this.count++] = frame
    }
    this.#selfNs[frame]! += selfNs
  }

  frame(i: number): number {
    return this.#frames[i]!
  }

  selfNs(i: number): number {
    return this.#selfNs[this.#frames[i]!]!
  }
}

/** The rollup of all the given ones together. They must not overlap. */
export function mergeRollups(parts: readonly Rollup[]): Rollup {
  return {
    frames: parts.reduce((sum, part) => sum + part.frames, 0),
    paths: mergeTables(parts.map((part) => part.paths)),
    markers: mergeTables(parts.map((part) => part.markers)),
    groups: mergeTables(parts.map((part) => part.groups)),
  }
}

function mergeTables(tables: readonly RollupTable[]): RollupTable {
  const places = new Map<number, { table: RollupTable; row: number }[]>()
  for (const table of tables) {
    table.key.forEach((key, row) => {
      const known = places.get(key)
      if (known === undefined) places.set(key, [{ table, row }])
      else known.push({ table, row })
    })
  }
  const rows = new TableBuilder()
  for (const key of [...places.keys()].sort((a, b) => a - b)) rows.addMerged(key, places.get(key)!)
  return rows.table()
}

/** Collects rows; counts buckets in one dense scratch array that is cleaned after each row. */
class TableBuilder {
  readonly #rows: {
    key: number
    calls: number
    selfNs: number
    totalNs: number
    frames: number
    worstSelfNs: number
    worstFrame: number
    details: DetailSums | null
  }[] = []
  readonly #bucketEnd: number[] = []
  readonly #bucket: number[] = []
  readonly #bucketCount: number[] = []
  readonly #scratch = new Uint32Array(BUCKETS)
  #lowest = BUCKETS
  #highest = -1

  addFrames(
    sums: { key: number; calls: number; totalNs: number; details: DetailSums | null },
    ran: FramesOfRow,
    firstFrame: number,
  ): void {
    let selfNs = 0
    let worst = 0
    const buckets = new Uint16Array(ran.count)
    for (let i = 0; i < ran.count; i++) {
      const own = ran.selfNs(i)
      selfNs += own
      buckets[i] = bucketOf(own)
      // Of equal ones the earliest, in whichever order they came.
      const ahead = own - ran.selfNs(worst)
      if (ahead > 0 || (ahead === 0 && ran.frame(i) < ran.frame(worst))) worst = i
    }
    const worstSelfNs = ran.selfNs(worst)
    const worstFrame = firstFrame + ran.frame(worst)
    this.#rows.push({ ...sums, selfNs, frames: ran.count, worstSelfNs, worstFrame })
    this.#addSorted(buckets.sort())
  }

  addMerged(key: number, places: { table: RollupTable; row: number }[]): void {
    const sum = {
      key,
      calls: 0,
      selfNs: 0,
      totalNs: 0,
      frames: 0,
      worstSelfNs: -1,
      worstFrame: 0,
      details: places.some(({ table }) => table.details !== null) ? noDetails() : null,
    }
    for (const { table, row } of places) {
      sum.calls += table.calls[row]!
      sum.selfNs += table.selfNs[row]!
      sum.totalNs += table.totalNs[row]!
      sum.frames += table.frames[row]!
      if (table.details !== null) {
        for (const detail of DETAIL_SUMS) sum.details![detail] += table.details[detail][row]!
      }
      if (table.worstSelfNs[row]! > sum.worstSelfNs) {
        sum.worstSelfNs = table.worstSelfNs[row]!
        sum.worstFrame = table.worstFrame[row]!
      }
      const end = table.bucketEnd[row]!
      for (let i = row === 0 ? 0 : table.bucketEnd[row - 1]!; i < end; i++) {
        this.#count(table.bucket[i]!, table.bucketCount[i]!)
      }
    }
    this.#rows.push(sum)
    this.#takeBuckets()
  }

  table(): RollupTable {
    const column = (name: 'key' | 'calls' | 'selfNs' | 'totalNs' | 'worstSelfNs') =>
      Float64Array.from(this.#rows, (row) => row[name])
    return {
      details: this.#details(),
      key: column('key'),
      calls: column('calls'),
      selfNs: column('selfNs'),
      totalNs: column('totalNs'),
      frames: Uint32Array.from(this.#rows, (row) => row.frames),
      worstSelfNs: column('worstSelfNs'),
      worstFrame: Uint32Array.from(this.#rows, (row) => row.worstFrame),
      bucketEnd: Uint32Array.from(this.#bucketEnd),
      bucket: Uint16Array.from(this.#bucket),
      bucketCount: Uint32Array.from(this.#bucketCount),
    }
  }

  #details(): DetailColumns | null {
    if (this.#rows.every(({ details }) => details === null)) return null
    const columns = DETAIL_SUMS.map((sum) => [
      sum,
      Float64Array.from(this.#rows, ({ details }) => details?.[sum] ?? 0),
    ])
    return Object.fromEntries(columns) as DetailColumns
  }

  /** For the few values of one chunk, sorting is cheaper than a pass over all buckets between them. */
  #addSorted(buckets: Uint16Array): void {
    for (let i = 0; i < buckets.length;) {
      const bucket = buckets[i]!
      let end = i + 1
      while (end < buckets.length && buckets[end] === bucket) end++
      this.#bucket.push(bucket)
      this.#bucketCount.push(end - i)
      i = end
    }
    this.#bucketEnd.push(this.#bucket.length)
  }

  #count(bucket: number, times: number): void {
    this.#scratch[bucket]! += times
    if (bucket < this.#lowest) this.#lowest = bucket
    if (bucket > this.#highest) this.#highest = bucket
  }

  #takeBuckets(): void {
    for (let bucket = this.#lowest; bucket <= this.#highest; bucket++) {
      const times = this.#scratch[bucket]!
      if (times === 0) continue
      this.#bucket.push(bucket)
      this.#bucketCount.push(times)
      this.#scratch[bucket] = 0
    }
    this.#lowest = BUCKETS
    this.#highest = -1
    this.#bucketEnd.push(this.#bucket.length)
  }
}
