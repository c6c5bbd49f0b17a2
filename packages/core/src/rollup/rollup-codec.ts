/** A rollup as CBOR, columns as narrow as they can be. */
import { decodeCbor, encodeCbor, narrow } from '../format/index.ts'
import { DETAIL_SUMS, type DetailSums } from './course-details.ts'
import type { DetailColumns, Rollup, RollupTable } from './rollup.ts'

type PackedTable = Record<Exclude<keyof RollupTable, 'details'>, ArrayLike<number>> &
  Partial<Record<keyof DetailSums, ArrayLike<number>>>

export function encodeRollup(rollup: Rollup): Uint8Array {
  return encodeCbor({
    frames: rollup.frames,
    paths: packTable(rollup.paths),
    markers: packTable(rollup.markers),
    groups: packTable(rollup.groups),
  })
}

/** Details stand beside the other columns; those that say nothing are left out. */
function packTable({ details, ...columns }: RollupTable) {
  const said = Object.entries(details ?? {}).filter(([, column]) => column.some((n) => n > 0))
  return Object.fromEntries(
    [...Object.entries(columns), ...said].map(([name, column]) => [
      name,
      narrow(column as ArrayLike<number>),
    ]),
  )
}

export function decodeRollup(bytes: Uint8Array): Rollup {
  const packed = decodeCbor(bytes) as { frames: number; paths: object; markers: object; groups: object }
  return {
    frames: packed.frames,
    paths: unpackTable(packed.paths as PackedTable),
    markers: unpackTable(packed.markers as PackedTable),
    groups: unpackTable(packed.groups as PackedTable),
  }
}

const unpackTable = (table: PackedTable): RollupTable => ({
  details: unpackDetails(table),
  key: new Float64Array(table.key),
  calls: new Float64Array(table.calls),
  selfNs: new Float64Array(table.selfNs),
  totalNs: new Float64Array(table.totalNs),
  frames: new Uint32Array(table.frames),
  worstSelfNs: new Float64Array(table.worstSelfNs),
  worstFrame: new Uint32Array(table.worstFrame),
  bucketEnd: new Uint32Array(table.bucketEnd),
  bucket: new Uint16Array(table.bucket),
  bucketCount: new Uint32Array(table.bucketCount),
})

function unpackDetails(table: PackedTable): DetailColumns | null {
  if (DETAIL_SUMS.every((sum) => table[sum] === undefined)) return null
  return Object.fromEntries(
    DETAIL_SUMS.map((sum) => [
      sum,
      new Float64Array(table[sum] ?? new Array<number>(table.key.length).fill(0)),
    ]),
  ) as DetailColumns
}
