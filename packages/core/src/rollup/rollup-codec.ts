/** A rollup as CBOR, columns as narrow as they can be. */
import { decodeCbor, encodeCbor, narrow } from '../format/index.ts'
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

const packTable = (table: RollupTable) =>
  Object.fromEntries(
    Object.entries(table).map(([name, column]) => [name, narrow(column as ArrayLike<number>)]),
  )

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
