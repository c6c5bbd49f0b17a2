/** CBOR (RFC 8949) with columns as typed arrays (RFC 8746), reading, in the subset that takes use. */
import { decode } from 'cborg'
import { SELF_DESCRIBED } from './cbor-encode.ts'
import { COLUMN_TAGS, columnFromBytes, type Column } from './typed-arrays.ts'
import { FormatError } from './errors.ts'

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
