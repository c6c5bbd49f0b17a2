/**
 * CBOR (RFC 8949) with columns as typed arrays (RFC 8746), writing only. Our own and small, because every
 * game carries it: see docs/decisions/006.
 */
import { tagOf, type Column } from './typed-arrays.ts'

/** Marks the following item as CBOR (RFC 8949, 3.4.6): the magic number of a take file. */
export const SELF_DESCRIBED = 55_799

const UNSIGNED = 0
const NEGATIVE = 1
const BYTES = 2
const TEXT = 3
const ARRAY = 4
const MAP = 5
const TAG = 6
const FALSE = 0xf4
const TRUE = 0xf5
const NULL = 0xf6
const DOUBLE = 0xfb

const utf8 = new TextEncoder()

class Writer {
  #bytes = new Uint8Array(1024)
  #view = new DataView(this.#bytes.buffer)
  #length = 0

  /** Makes sure that `more` bytes fit, and counts them as written. @returns where they go */
  #claim(more: number): number {
    const at = this.#length
    this.#length += more
    if (this.#length > this.#bytes.length) {
      const larger = new Uint8Array(Math.max(this.#length, this.#bytes.length * 2))
      larger.set(this.#bytes.subarray(0, at))
      this.#bytes = larger
      this.#view = new DataView(larger.buffer)
    }
    return at
  }

  byte(value: number): void {
    const at = this.#claim(1)
    this.#bytes[at] = value
  }

  bytes(value: Uint8Array): void {
    const at = this.#claim(value.length)
    this.#bytes.set(value, at)
  }

  double(value: number): void {
    this.byte(DOUBLE)
    const at = this.#claim(8)
    this.#view.setFloat64(at, value)
  }

  /** The head of an item: its major type and its argument, as short as it can be. */
  head(major: number, argument: number): void {
    const type = major << 5
    if (argument < 24) this.byte(type | argument)
    else if (argument < 2 ** 8) this.#argument(type | 24, 1, argument)
    else if (argument < 2 ** 16) this.#argument(type | 25, 2, argument)
    else if (argument < 2 ** 32) this.#argument(type | 26, 4, argument)
    else this.#argument(type | 27, 8, argument)
  }

  #argument(initial: number, size: number, argument: number): void {
    this.byte(initial)
    const at = this.#claim(size)
    for (let i = size - 1, rest = argument; i >= 0; i--, rest = Math.floor(rest / 256)) {
      this.#bytes[at + i] = rest % 256
    }
  }

  done(): Uint8Array {
    return this.#bytes.slice(0, this.#length)
  }
}

/**
 * One value as CBOR: typed arrays become RFC 8746 typed arrays, fields keep their order, fields that are
 * undefined are left out.
 * @throws RangeError for a value that takes never hold, such as a function
 */
export function encodeCbor(value: unknown): Uint8Array {
  const writer = new Writer()
  write(writer, value)
  return writer.done()
}

/** The same behind the tag that marks a file as CBOR. */
export function encodeSelfDescribed(value: unknown): Uint8Array {
  const writer = new Writer()
  writer.head(TAG, SELF_DESCRIBED)
  write(writer, value)
  return writer.done()
}

function write(writer: Writer, value: unknown): void {
  if (typeof value === 'number') writeNumber(writer, value)
  else if (typeof value === 'string') writeText(writer, value)
  else if (value === null) writer.byte(NULL)
  else if (typeof value === 'boolean') writer.byte(value ? TRUE : FALSE)
  else if (Array.isArray(value)) {
    writer.head(ARRAY, value.length)
    for (const item of value) write(writer, item)
  } else if (ArrayBuffer.isView(value)) writeColumn(writer, value as Column)
  else if (typeof value === 'object') {
    const fields = Object.entries(value as object).filter(([, field]) => field !== undefined)
    writer.head(MAP, fields.length)
    for (const [name, field] of fields) {
      writeText(writer, name)
      write(writer, field)
    }
  } else throw new RangeError(`a ${typeof value} has no place in a take`)
}

function writeNumber(writer: Writer, value: number): void {
  if (!Number.isSafeInteger(value) || Object.is(value, -0)) writer.double(value)
  else if (value >= 0) writer.head(UNSIGNED, value)
  else writer.head(NEGATIVE, -1 - value)
}

function writeText(writer: Writer, text: string): void {
  const bytes = utf8.encode(text)
  writer.head(TEXT, bytes.length)
  writer.bytes(bytes)
}

function writeColumn(writer: Writer, column: Column): void {
  writer.head(TAG, tagOf(column))
  writer.head(BYTES, column.byteLength)
  writer.bytes(new Uint8Array(column.buffer, column.byteOffset, column.byteLength))
}
