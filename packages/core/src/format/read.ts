/** Reads a take from bytes that arrive in pieces of any size. */
import { decodeCbor } from './cbor-decode.ts'
import { FormatError, locate, type FormatErrorPlace } from './errors.ts'
import type { AnyRecord } from './records.ts'
import { CUT, ItemScanner, scanItem } from './scan.ts'
import { validateRecord } from './validate.ts'

/**
 * Decodes and checks one record that stands alone, such as a WebSocket message.
 * @throws FormatError with its place
 */
export function decodeRecord(bytes: Uint8Array, place: FormatErrorPlace): AnyRecord {
  return locate(place, () => {
    const end = scanItem(bytes, 0)
    if (end !== bytes.length) {
      throw new FormatError(
        'not-cbor',
        `got ${end === CUT ? 'less' : 'more'} than one item in ${bytes.length} bytes`,
      )
    }
    return decodeRecordValue(bytes, place.record === 0)
  })
}

function decodeRecordValue(bytes: Uint8Array, isFirst: boolean): AnyRecord {
  const value = decodeCbor(bytes)
  if (isFirst !== isTakeRecord(value)) {
    throw new FormatError('not-a-take', isFirst ? 'the first record is another' : 'got that record again')
  }
  return validateRecord(value)
}

const isTakeRecord = (value: unknown): boolean => (value as { record?: unknown } | null)?.record === 'take'

/**
 * Splits a CBOR sequence (RFC 8742) into records: those of one take, or of several, each after the end of the one before.
 * Push pieces as they come; each call returns the records that became whole. After a FormatError the reader takes nothing more; what it returned before is good.
 */
export class RecordReader {
  /** Holds the record that has begun, in its first `#pendingBytes`; grows by doubling. */
  #pending: Uint8Array = new Uint8Array(0)
  #pendingBytes = 0
  #scanner = new ItemScanner()
  #place: FormatErrorPlace = { record: 0, offset: 0 }
  #sequence = 0
  #ended = false

  /** Where the next record will start. */
  get place(): FormatErrorPlace {
    return this.#place
  }

  /** Bytes of a record that has begun but is not whole: more than 0 at the end means the take is cut. */
  get pendingBytes(): number {
    return this.#pendingBytes
  }

  /** Whether the closing record of the last take has been read. */
  get ended(): boolean {
    return this.#ended
  }

  /** @throws FormatError with its place; records before it have been handed to `onRecord` */
  push(piece: Uint8Array, onRecord: (record: AnyRecord, place: FormatErrorPlace) => void): void {
    const bytes = this.#pendingBytes === 0 ? piece : this.#append(piece)
    let at = 0
    while (at < bytes.length) {
      const place = this.#place
      if (place.record === 0) locate(place, () => checkFirstByte(bytes[at]!))
      const end = locate(place, () => this.#scanner.scan(bytes, at))
      if (end === CUT) break
      this.#scanner = new ItemScanner()
      const record = locate(place, () => this.#inOrder(bytes.subarray(at, end)))
      this.#place = { record: place.record + 1, offset: place.offset + end - at }
      at = end
      onRecord(record, place)
    }
    this.#keep(bytes, at)
  }

  /** The record that has begun, with one more piece of it. */
  #append(piece: Uint8Array): Uint8Array {
    const needed = this.#pendingBytes + piece.length
    if (needed > this.#pending.length) {
      const larger = new Uint8Array(Math.max(needed, 2 * this.#pending.length))
      larger.set(this.#pending.subarray(0, this.#pendingBytes))
      this.#pending = larger
    }
    this.#pending.set(piece, this.#pendingBytes)
    this.#pendingBytes = needed
    return this.#pending.subarray(0, needed)
  }

  /** Keeps what has not been read, from offset `from` on. */
  #keep(bytes: Uint8Array, from: number): void {
    const isKept = from === 0 && this.#pendingBytes > 0
    // A copy in any case: the slices of Node's buffers are none.
    if (!isKept) this.#pending = new Uint8Array(bytes.subarray(from))
    this.#pendingBytes = bytes.length - from
  }

  #inOrder(bytes: Uint8Array): AnyRecord {
    const isFirst = this.#place.record === 0 || (this.#ended && isTakeRecord(decodeCbor(bytes)))
    const record = decodeRecordValue(bytes, isFirst)
    if (record.record === 'take') {
      this.#sequence = 0
      this.#ended = false
      return record
    }
    if (this.#ended) throw new FormatError('after-end', `got a record "${record.record}"`)
    if (record.sequence !== this.#sequence + 1) {
      throw new FormatError(
        'out-of-sequence',
        `"sequence" is ${record.sequence}, expected ${this.#sequence + 1}`,
      )
    }
    this.#sequence = record.sequence
    this.#ended = record.record === 'end'
    return record
  }
}

/** A foreign file often looks like the beginning of some long CBOR item: a take begins with a map. */
function checkFirstByte(byte: number): void {
  const isMap = byte >> 5 === 5
  const isTag = byte === 0xd9
  if (!isMap && !isTag)
    throw new FormatError('not-a-take', `the first byte is 0x${byte.toString(16).padStart(2, '0')}`)
}
