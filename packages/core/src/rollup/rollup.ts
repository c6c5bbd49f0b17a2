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
  const rolled = { from, to, firstFrame, use: null }
  const ofPaths = rollupTable(cells, paths, 'path', rolled)
  const table = (by: LedgerBy) => rollupTable(cells, paths, by, rolled, ofPaths)
  return { frames: to - from, paths: ofPaths, markers: table('marker'), groups: table('group') }
}

/**
 * Adds up the paths that share a key, frame by frame, then over the frames.
 * @param ofPaths the table of the paths themselves, where there is one: a path that is alone has its row there
 */
export function rollupTable(
  cells: readonly PathCells[],
  paths: PathTable,
  by: LedgerBy,
  { from, to, firstFrame, use }: RolledFrames,
  ofPaths: RollupTable | null = null,
): RollupTable {
  const members = new Map<number, PathCells[]>()
  for (const one of cells) {
    const key = ledgerKey(paths.get(one.path), by)
    const known = members.get(key)
    if (known === undefined) members.set(key, [one])
    else known.push(one)
  }
  const rows = new TableBuilder(members.size)
  const ran = new FramesOfRow(to - from)
  const rowOf = new Map(Array.from(ofPaths?.key ?? [], (path, row) => [path, row]))
  for (const key of [...members.keys()].sort((a, b) => a - b)) {
    const own = members.get(key)!
    if (ofPaths !== null && own.length === 1) {
      const row = rowOf.get(own[0]!.path)
      if (row !== undefined) rows.addMerged(key, [{ table: ofPaths, row }])
      continue
    }
    ran.clear()
    let calls = 0
    let totalNs = 0
    const details = own.some(({ columns }) => columns.details !== null) ? noDetails() : null
    for (const { path, columns, first, end } of own) {
      const { frame: frames, calls: callsOf, selfNs, totalNs: totalOf, details: said } = columns
      const addTotal = countsInTotal(paths.get(path), by)
      for (let cell = first; cell < end; cell++) {
        const frame = frames[cell]!
        if (frame < from || frame >= to || (use !== null && use[frame] === 0)) continue
        ran.add(frame - from, selfNs[cell]!)
        calls += callsOf[cell]!
        if (addTotal) totalNs += totalOf[cell]!
        if (said !== null) for (const sum of DETAIL_SUMS) details![sum] += said[sum][cell]!
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
  /** The first `count` elements say in which frames the row ran, and for how long. */
  readonly frame: Uint32Array
  readonly selfNs: Float64Array
  count = 0
  /** By frame: one more than its place among those; 0 where the row did not run. */
  readonly #place: Uint32Array

  constructor(frames: number) {
    this.frame = new Uint32Array(frames)
    this.selfNs = new Float64Array(frames)
    this.#place = new Uint32Array(frames)
  }

  clear(): void {
    for (let i = 0; i < this.count; i++) this.#place[this.frame[i]!] = 0
    this.count = 0
  }

  add(frame: number, selfNs: number): void {
    const place = this.#place[frame]!
    if (place > 0) {
      this.selfNs[place - 1]! += selfNs
      return
    }
    this.frame[this.count] = frame
    this.selfNs[this.count] = selfNs
    this.#place[frame] = ++this.count
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
  const rows = new TableBuilder(places.size)
  for (const key of [...places.keys()].sort((a, b) => a - b)) rows.addMerged(key, places.get(key)!)
  return rows.table()
}

/** Buckets a value that a pass may meet for nothing. */
const NEAR = 16

/** Fills a table row by row; counts buckets in one dense scratch array that is cleaned after each row. */
class TableBuilder {
  readonly #columns: Omit<RollupTable, 'details' | 'bucketEnd' | 'bucket' | 'bucketCount'>
  #details: DetailColumns | null = null
  #rows = 0
  readonly #bucketEnd: Uint32Array
  readonly #bucket: number[] = []
  readonly #bucketCount: number[] = []
  readonly #scratch = new Uint32Array(BUCKETS)
  #buckets = new Uint16Array(0)
  #lowest = BUCKETS
  #highest = -1

  /** @param most rows that there may be */
  constructor(most: number) {
    this.#columns = {
      key: new Float64Array(most),
      calls: new Float64Array(most),
      selfNs: new Float64Array(most),
      totalNs: new Float64Array(most),
      frames: new Uint32Array(most),
      worstSelfNs: new Float64Array(most),
      worstFrame: new Uint32Array(most),
    }
    this.#bucketEnd = new Uint32Array(most)
  }

  addFrames(
    sums: { key: number; calls: number; totalNs: number; details: DetailSums | null },
    ran: FramesOfRow,
    firstFrame: number,
  ): void {
    const { frame, selfNs: own, count } = ran
    const { selfNs, frames, worstSelfNs, worstFrame } = this.#columns
    let sum = 0
    let worst = 0
    for (let i = 0; i < count; i++) {
      sum += own[i]!
      // Of equal ones the earliest, in whichever order they came.
      const ahead = own[i]! - own[worst]!
      if (ahead > 0 || (ahead === 0 && frame[i]! < frame[worst]!)) worst = i
    }
    const row = this.#begin(sums.key)
    selfNs[row] = sum
    frames[row] = count
    worstSelfNs[row] = own[worst]!
    worstFrame[row] = firstFrame + frame[worst]!
    this.#columns.calls[row] = sums.calls
    this.#columns.totalNs[row] = sums.totalNs
    if (sums.details !== null) {
      const details = this.#detailColumns()
      for (const name of DETAIL_SUMS) details[name][row] = sums.details[name]
    }
    this.#addBuckets(own, count)
  }

  addMerged(key: number, places: { table: RollupTable; row: number }[]): void {
    let calls = 0
    let selfNs = 0
    let totalNs = 0
    let frames = 0
    let worst = places[0]!
    const at = this.#begin(key)
    for (const place of places) {
      const { table, row } = place
      calls += table.calls[row]!
      selfNs += table.selfNs[row]!
      totalNs += table.totalNs[row]!
      frames += table.frames[row]!
      if (table.worstSelfNs[row]! > worst.table.worstSelfNs[worst.row]!) worst = place
      if (table.details !== null) {
        const details = this.#detailColumns()
        for (const name of DETAIL_SUMS) details[name][at]! += table.details[name][row]!
      }
      this.#countBuckets(table, row)
    }
    this.#columns.calls[at] = calls
    this.#columns.selfNs[at] = selfNs
    this.#columns.totalNs[at] = totalNs
    this.#columns.frames[at] = frames
    this.#columns.worstSelfNs[at] = worst.table.worstSelfNs[worst.row]!
    this.#columns.worstFrame[at] = worst.table.worstFrame[worst.row]!
    this.#takeBuckets()
  }

  table(): RollupTable {
    const rows = this.#rows
    return {
      ...firstRows(this.#columns, rows),
      details: this.#details === null ? null : firstRows(this.#details, rows),
      bucketEnd: this.#bucketEnd.subarray(0, rows),
      bucket: Uint16Array.from(this.#bucket),
      bucketCount: Uint32Array.from(this.#bucketCount),
    }
  }

  /** The number of the row that is filled from now on. */
  #begin(key: number): number {
    this.#columns.key[this.#rows] = key
    return this.#rows++
  }

  /** Made where the first row says something. */
  #detailColumns(): DetailColumns {
    this.#details ??= Object.fromEntries(
      DETAIL_SUMS.map((name) => [name, new Float64Array(this.#bucketEnd.length)]),
    ) as DetailColumns
    return this.#details
  }

  /** Where the values of one chunk are far apart, sorting them is cheaper than a pass over all buckets between them. */
  #addBuckets(values: Float64Array, count: number): void {
    if (this.#buckets.length < count) this.#buckets = new Uint16Array(count)
    const buckets = this.#buckets
    let lowest = BUCKETS
    let highest = -1
    for (let i = 0; i < count; i++) {
      buckets[i] = bucketOf(values[i]!)
      // As a whole number again: once it has held another, a field is several times as slow.
      const bucket = buckets[i]!
      if (bucket < lowest) lowest = bucket
      if (bucket > highest) highest = bucket
    }
    if (highest - lowest <= NEAR * count) {
      for (let i = 0; i < count; i++) this.#scratch[buckets[i]!]!++
      this.#lowest = lowest
      this.#highest = highest
      this.#takeBuckets()
    } else this.#addSorted(buckets.subarray(0, count).sort())
  }

  #addSorted(buckets: Uint16Array): void {
    for (let i = 0; i < buckets.length;) {
      const bucket = buckets[i]!
      let end = i + 1
      while (end < buckets.length && buckets[end] === bucket) end++
      this.#bucket.push(bucket)
      this.#bucketCount.push(end - i)
      i = end
    }
    this.#bucketEnd[this.#rows - 1] = this.#bucket.length
  }

  #countBuckets({ bucket, bucketCount, bucketEnd }: RollupTable, row: number): void {
    const scratch = this.#scratch
    const from = row === 0 ? 0 : bucketEnd[row - 1]!
    const end = bucketEnd[row]!
    for (let i = from; i < end; i++) scratch[bucket[i]!]! += bucketCount[i]!
    // They are in ascending order.
    if (from === end) return
    this.#lowest = Math.min(this.#lowest, bucket[from]!)
    this.#highest = Math.max(this.#highest, bucket[end - 1]!)
  }

  #takeBuckets(): void {
    const scratch = this.#scratch
    const highest = this.#highest
    for (let bucket = this.#lowest; bucket <= highest; bucket++) {
      const times = scratch[bucket]!
      if (times === 0) continue
      this.#bucket.push(bucket)
      this.#bucketCount.push(times)
      scratch[bucket] = 0
    }
    this.#lowest = BUCKETS
    this.#highest = -1
    this.#bucketEnd[this.#rows - 1] = this.#bucket.length
  }
}

const firstRows = <T extends Record<string, Float64Array | Uint32Array>>(columns: T, rows: number): T =>
  Object.fromEntries(Object.entries(columns).map(([name, column]) => [name, column.subarray(0, rows)])) as T
