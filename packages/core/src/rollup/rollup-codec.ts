/** A rollup as CBOR, columns as narrow as they can be. */
import { decodeCbor, encodeCbor, narrow } from '../format/index.ts'
import { DETAIL_SUMS, type DetailSums } from './course-details.ts'
import type { Rollup, RollupTable } from './rollup.ts'

type Packed<T> = { [K in keyof T]: ArrayLike<number> }

export function encodeRollup(rollup: Rollup): Uint8Array {
  return encodeCbor({
    frames: rollup.frames,
    paths: packTable(rollup.paths),
    markers: packTable(rollup.markers),
    groups: packTable(rollup.groups),
  })
}

/** Detail columns that say nothing are left out. */
const packTable = (table: RollupTable) =>
  Object.fromEntries(
    Object.entries(table)
      .filter(([name, column]) => !isDetail(name) || (column as Float64Array).some((n) => n > 0))
      .map(([name, column]) => [name, narrow(column as ArrayLike<number>)]),
  )

const isDetail = (name: string) => (DETAIL_SUMS as readonly string[]).includes(name)

export function decodeRollup(bytes: Uint8Array): Rollup {
  const packed = decodeCbor(bytes) as { frames: number; paths: object; markers: object; groups: object }
  return {
    frames: packed.frames,
    paths: unpackTable(packed.paths as Packed<RollupTable>),
    markers: unpackTable(packed.markers as Packed<RollupTable>),
    groups: unpackTable(packed.groups as Packed<RollupTable>),
  }
}

const unpackTable = (table: Packed<RollupTable>): RollupTable => ({
  ...unpackDetailSums(table),
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

function unpackDetailSums(table: Packed<RollupTable>): Record<keyof DetailSums, Float64Array> {
  return Object.fromEntries(
    DETAIL_SUMS.map((sum) => [sum, new Float64Array(table[sum] ?? table.key.length)]),
  ) as Record<keyof DetailSums, Float64Array>
}
