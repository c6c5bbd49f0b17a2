import { FormatError } from './errors.ts'
import { LIMITS } from './limits.ts'

/** The item is not complete yet: more bytes are needed to tell where it ends. */
export const CUT = -1

/**
 * Where the CBOR item that begins at `start` ends, without reading its contents: what lets a stream be
 * framed, a cut file be told from a broken one, and an absurd length be refused before it is awaited.
 * @returns offset after the item, or CUT when `bytes` stops inside it
 * @throws FormatError `not-cbor` or `too-large`
 */
export function scanItem(bytes: Uint8Array, start: number): number {
  return new ItemScanner().scan(bytes, start)
}

/** The same for an item that arrives in pieces: each byte is looked at once, however many pieces there are. */
export class ItemScanner {
  /** By level of nesting: items that are still to come there. */
  #remaining = [1]
  /** Bytes of the item that have been passed; the last string may reach beyond what has come. */
  #passed = 0

  /**
   * Goes on with the item that begins at `start`, after more bytes have come.
   * @returns offset after the item, or CUT when more bytes are needed
   * @throws FormatError `not-cbor` or `too-large`
   */
  scan(bytes: Uint8Array, start: number): number {
    const remaining = this.#remaining
    let at = start + this.#passed
    while (remaining.length > 0) {
      const level = remaining.length - 1
      if (remaining[level] === 0) {
        remaining.pop()
        continue
      }
      if (at >= bytes.length) return CUT
      const major = bytes[at]! >> 5
      const headEnd = at + 1 + argumentBytes(bytes[at]! & 31, at - start)
      if (headEnd > bytes.length) return CUT
      remaining[level]!--
      const argument = readArgument(bytes, at)
      at = headEnd
      if (major === 2 || major === 3) {
        at += checkedLength(argument, at - start)
      } else if (major === 4 || major === 5) {
        remaining.push(checkedLength(argument, at - start) * (major - 3))
      } else if (major === 6) {
        remaining.push(1)
      }
      if (remaining.length > LIMITS.itemDepth) {
        throw new FormatError('too-large', `items nested deeper than ${LIMITS.itemDepth}`)
      }
      if (at - start > LIMITS.recordBytes) checkedLength(at - start, 0)
      this.#passed = at - start
    }
    return at > bytes.length ? CUT : at
  }
}

function argumentBytes(minor: number, within: number): number {
  if (minor < 24) return 0
  if (minor < 28) return 1 << (minor - 24)
  throw new FormatError(
    'not-cbor',
    minor === 31
      ? `got an indefinite length ${within} bytes into the record`
      : `got the reserved byte value ${minor} ${within} bytes into the record`,
  )
}

function readArgument(bytes: Uint8Array, at: number): number {
  const minor = bytes[at]! & 31
  if (minor < 24) return minor
  let value = 0
  for (let i = 1; i <= 1 << (minor - 24); i++) value = value * 256 + bytes[at + i]!
  return value
}

function checkedLength(length: number, within: number): number {
  if (within + length <= LIMITS.recordBytes) return length
  throw new FormatError(
    'too-large',
    `a record of more than ${LIMITS.recordBytes} bytes (a length of ${length})`,
  )
}
