import { sketchPercentile } from '../stats/index.ts'
import { DETAIL_SUMS, type DetailSums } from './course-details.ts'
import type { LedgerBy, Rollup, RollupTable } from './rollup.ts'

/** What one path, marker or group cost over a set of frames. Times in ns. */
export interface LedgerRow {
  /** Path number, or laneKey of marker or group. */
  key: number
  calls: number
  /** Frames in which it ran. */
  frames: number
  selfNs: number
  totalNs: number
  /** 99th percentile of its self time per frame, over all frames of the set; within 0.1 %. */
  selfP99Ns: number
  worstSelfNs: number
  worstFrame: number
  /** Runs that said whether they changed anything, and those of them that changed nothing. */
  said: number
  needless: number
  /** Their time with their children, ns. */
  needlessNs: number
  /** Runs with a key that had been asked, and answered alike, in the same frame; with their children's time. */
  repeated: number
  repeatedNs: number
  /** Allocated by it alone; runs with a collection inside, whose bytes are not known, are counted apart. */
  bytes: number
  unknownBytes: number
}

/** The rows of a ledger, most self time first. */
export function ledgerRows(rollup: Rollup, by: LedgerBy): LedgerRow[] {
  const table = { path: rollup.paths, marker: rollup.markers, group: rollup.groups }[by]
  return rowsOf(table, rollup.frames)
}

/** @param frames rolled up, with or without runs */
export const rowsOf = (table: RollupTable, frames: number): LedgerRow[] =>
  Array.from(table.key.keys(), (row) => ledgerRow(table, row, frames)).sort(
    (a, b) => b.selfNs - a.selfNs || a.key - b.key,
  )

function ledgerRow(table: RollupTable, row: number, frames: number): LedgerRow {
  const from = row === 0 ? 0 : table.bucketEnd[row - 1]!
  const to = table.bucketEnd[row]!
  const buckets = table.bucket.subarray(from, to)
  const counts = table.bucketCount.subarray(from, to)
  return {
    key: table.key[row]!,
    calls: table.calls[row]!,
    frames: table.frames[row]!,
    selfNs: table.selfNs[row]!,
    totalNs: table.totalNs[row]!,
    selfP99Ns: sketchPercentile(buckets, counts, frames - table.frames[row]!, 0.99),
    worstSelfNs: table.worstSelfNs[row]!,
    worstFrame: table.worstFrame[row]!,
    ...(Object.fromEntries(
      DETAIL_SUMS.map((sum) => [sum, table.details?.[sum][row] ?? 0]),
    ) as unknown as DetailSums),
  }
}
