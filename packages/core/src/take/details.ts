/** Span details as bytes, ready to be deflated: a section a column, empty where it says nothing. */
import { BYTES_UNKNOWN } from '../format/index.ts'
import { joinSections, splitSections } from './pack.ts'
import type { SpanDetails } from './spans.ts'
import { VarintWriter, type VarintReader } from './varint.ts'

export function packDetails({ effect, bytes, key }: SpanDetails): Uint8Array {
  return joinSections([packColumn(effect, 0), packColumn(bytes, -BYTES_UNKNOWN), packColumn(key, 0)])
}

/** @param raise added to each value, so that none is negative */
function packColumn(column: ArrayLike<number> | null, raise: number): Uint8Array {
  const writer = new VarintWriter()
  if (column !== null) for (let i = 0; i < column.length; i++) writer.write(column[i]! + raise)
  return writer.bytes()
}

/** The details of the spans `from` to before `to` of a packed stretch. */
export function unpackDetails(packed: Uint8Array, from: number, to: number): SpanDetails {
  const [effect, bytes, key] = splitSections(packed, 3)
  return {
    effect: unpackColumn(effect!, from, 0, new Uint8Array(to - from)),
    bytes: unpackColumn(bytes!, from, -BYTES_UNKNOWN, new Float64Array(to - from)),
    key: unpackColumn(key!, from, 0, new Uint32Array(to - from)),
  }
}

function unpackColumn<T extends Uint8Array | Uint32Array | Float64Array>(
  reader: VarintReader,
  from: number,
  raise: number,
  column: T,
): T | null {
  if (reader.length === 0) return null
  reader.skip(from)
  for (let i = 0; i < column.length; i++) column[i] = reader.read() - raise
  return column
}
