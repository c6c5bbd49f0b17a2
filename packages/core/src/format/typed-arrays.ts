/**
 * Columns as RFC 8746 typed arrays: which tag stands for which element type, and the narrowest type
 * that holds a column.
 */

export type Column = Uint8Array | Uint16Array | Uint32Array | Int32Array | Float32Array | Float64Array

type Kind = 'uint' | 'int' | 'float'
interface ElementType {
  kind: Kind
  bytes: 1 | 2 | 4 | 8
  littleEndian: boolean
}

/** Tag number = 64 + float(16) + signed(8) + little-endian(4) + log2 of the size (RFC 8746, 2.1). */
const ELEMENT_TYPES = new Map<number, ElementType>()
for (const littleEndian of [false, true]) {
  const order = littleEndian ? 4 : 0
  for (const [power, bytes] of ([1, 2, 4, 8] as const).entries()) {
    ELEMENT_TYPES.set(64 + order + power, { kind: 'uint', bytes, littleEndian })
    // 76 would be little-endian int8, which the RFC reserves.
    if (bytes > 1 || !littleEndian)
      ELEMENT_TYPES.set(72 + order + power, { kind: 'int', bytes, littleEndian })
  }
  ELEMENT_TYPES.set(81 + order, { kind: 'float', bytes: 4, littleEndian })
  ELEMENT_TYPES.set(82 + order, { kind: 'float', bytes: 8, littleEndian })
}

export const COLUMN_TAGS = [...ELEMENT_TYPES.keys()]

/** The tag under which a column of this type is written, on a little-endian machine. */
export function tagOf(column: Column): number {
  if (column instanceof Uint8Array) return 64
  if (column instanceof Uint16Array) return 69
  if (column instanceof Uint32Array) return 70
  if (column instanceof Int32Array) return 78
  if (column instanceof Float32Array) return 85
  return 86
}

/** Reads the bytes of a typed array under its tag. 64-bit integers beyond 2^53 lose their last bits. */
export function columnFromBytes(tag: number, bytes: Uint8Array): Column {
  const type = ELEMENT_TYPES.get(tag)
  if (type === undefined) throw new RangeError(`no typed array has tag ${tag}`)
  if (bytes.length % type.bytes !== 0) {
    throw new RangeError(`${bytes.length} bytes are no whole number of ${type.bytes}-byte elements`)
  }
  if (type.littleEndian || type.bytes === 1) {
    const direct = directColumn(type, bytes)
    if (direct !== null) return direct
  }
  return convertedColumn(type, bytes)
}

/** The element types that exist as typed arrays here, on the same memory where that is theirs alone. */
function directColumn(type: ElementType, bytes: Uint8Array): Column | null {
  const isAlone = bytes.byteLength === bytes.buffer.byteLength
  const { buffer } = isAlone ? bytes : new Uint8Array(bytes)
  if (type.kind === 'uint' && type.bytes === 1) return new Uint8Array(buffer)
  if (type.kind === 'uint' && type.bytes === 2) return new Uint16Array(buffer)
  if (type.kind === 'uint' && type.bytes === 4) return new Uint32Array(buffer)
  if (type.kind === 'int' && type.bytes === 4) return new Int32Array(buffer)
  if (type.kind === 'float' && type.bytes === 4) return new Float32Array(buffer)
  if (type.kind === 'float' && type.bytes === 8) return new Float64Array(buffer)
  return null
}

function convertedColumn({ kind, bytes: size, littleEndian }: ElementType, bytes: Uint8Array): Column {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
  const column = new Float64Array(bytes.length / size)
  for (let i = 0; i < column.length; i++) {
    const at = i * size
    if (kind === 'float')
      column[i] = size === 4 ? view.getFloat32(at, littleEndian) : view.getFloat64(at, littleEndian)
    else if (size === 8)
      column[i] = Number(
        kind === 'uint' ? view.getBigUint64(at, littleEndian) : view.getBigInt64(at, littleEndian),
      )
    else if (size === 4)
      column[i] = kind === 'uint' ? view.getUint32(at, littleEndian) : view.getInt32(at, littleEndian)
    else if (size === 2)
      column[i] = kind === 'uint' ? view.getUint16(at, littleEndian) : view.getInt16(at, littleEndian)
    else column[i] = kind === 'uint' ? view.getUint8(at) : view.getInt8(at)
  }
  return column
}

/** The same whole numbers >= 0 in the narrowest column that holds the largest of them. */
export function narrow(values: ArrayLike<number>): Column {
  const largest = largestOf(values)
  // The constructors convert between typed arrays many times faster than `from`, which iterates.
  if (largest <= 0xff) return new Uint8Array(values)
  if (largest <= 0xffff) return new Uint16Array(values)
  if (largest <= 0xffff_ffff) return new Uint32Array(values)
  return new Float64Array(values)
}

/** One function a type: a loop that meets several types of array runs ten times slower. */
function largestOf(values: ArrayLike<number>): number {
  if (values instanceof Float64Array) return largestFloat(values)
  if (values instanceof Uint32Array) return largestUint(values)
  let largest = 0
  for (let i = 0; i < values.length; i++) if (values[i]! > largest) largest = values[i]!
  return largest
}

function largestFloat(values: Float64Array): number {
  let largest = 0
  for (let i = 0; i < values.length; i++) if (values[i]! > largest) largest = values[i]!
  return largest
}

function largestUint(values: Uint32Array): number {
  let largest = 0
  for (let i = 0; i < values.length; i++) if (values[i]! > largest) largest = values[i]!
  return largest
}
