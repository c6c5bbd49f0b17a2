/** CBOR (RFC 8949) with columns as typed arrays (RFC 8746), in the subset that takes use. */
import { decode, encode, Token, Type } from 'cborg'
import type { OptionalTypeEncoder } from 'cborg/interface'
import { COLUMN_TAGS, columnFromBytes, tagOf, type Column } from './columns.ts'
import { FormatError } from './errors.ts'

/** Marks the following item as CBOR (RFC 8949, 3.4.6): the magic number of a take file. */
const SELF_DESCRIBED = 55_799
const MAGIC = Uint8Array.of(0xd9, 0xd9, 0xf7)

const encodeColumn: OptionalTypeEncoder = (column: Column) => [
  new Token(Type.tag, tagOf(column)),
  new Token(Type.bytes, new Uint8Array(column.buffer, column.byteOffset, column.byteLength)),
]

const typeEncoders = Object.fromEntries(
  ['Uint8Array', 'Uint16Array', 'Uint32Array', 'Int32Array', 'Float32Array', 'Float64Array'].map((name) => [
    name,
    encodeColumn,
  ]),
)

/** Fields keep the order they are written in. */
const asWritten = () => 0

/** One value as CBOR; typed arrays become RFC 8746 typed arrays, `undefined` fields are left out. */
export function encodeCbor(value: unknown): Uint8Array {
  return encode(value, { typeEncoders, mapSorter: asWritten, ignoreUndefinedProperties: true })
}

/** The same behind the tag that marks a file as CBOR. */
export function encodeSelfDescribed(value: unknown): Uint8Array {
  const body = encodeCbor(value)
  const bytes = new Uint8Array(MAGIC.length + body.length)
  bytes.set(MAGIC)
  bytes.set(body, MAGIC.length)
  return bytes
}

const tags = Object.fromEntries([
  ...COLUMN_TAGS.map((tag) => [tag, (content: () => unknown) => toColumn(tag, content())] as const),
  [SELF_DESCRIBED, (content: () => unknown) => content()] as const,
])

function toColumn(tag: number, content: unknown): Column {
  if (!(content instanceof Uint8Array)) throw new RangeError('a typed array must be a byte string')
  return columnFromBytes(tag, content)
}

/** Reads exactly one item. Anything else is a FormatError `not-cbor`. */
export function decodeCbor(bytes: Uint8Array): unknown {
  try {
    return decode(bytes, { tags, allowIndefinite: false, rejectDuplicateMapKeys: true })
  } catch (error) {
    throw new FormatError('not-cbor', (error as Error).message.replace(/^CBOR decode error: /, ''))
  }
}
