import { FormatError, type FormatErrorPlace } from '../format/index.ts'
import { Skipped, type OnRecord, type SourceOptions, type TakeSource } from './import-format.ts'

/** Foreign files are put together from all their spans, so they are held in memory: up to here. */
const MOST_BYTES = 256 * 1024 * 1024
const BYTE_ORDER_MARK = [0xef, 0xbb, 0xbf]

/** A source that has to see all of a JSON file before it can give records. */
export abstract class WholeFileSource implements TakeSource {
  abstract readonly format: string
  readonly lenient = true
  readonly skipped = new Skipped()
  protected readonly options: SourceOptions
  #pieces: Uint8Array[] = []
  #bytes = 0
  ended = false

  constructor(options: SourceOptions) {
    this.options = options
  }

  get place(): FormatErrorPlace {
    return { record: 0, offset: 0 }
  }

  get pendingBytes(): number {
    return this.#bytes
  }

  push(piece: Uint8Array): void {
    this.#bytes += piece.length
    if (this.#bytes > MOST_BYTES) {
      this.#pieces = []
      throw new FormatError('too-large', `more than ${MOST_BYTES} bytes of JSON in one file`).at(this.place)
    }
    this.#pieces.push(piece.slice())
  }

  finish(onRecord: OnRecord): void {
    const bytes = new Uint8Array(this.#bytes)
    let at = 0
    for (const piece of this.#pieces) {
      bytes.set(piece, at)
      at += piece.length
    }
    this.#pieces = []
    const hasMark = BYTE_ORDER_MARK.every((byte, i) => bytes[i] === byte)
    this.give(hasMark ? bytes.subarray(BYTE_ORDER_MARK.length) : bytes, onRecord)
    this.ended = true
  }

  /** @throws FormatError when there is nothing right in it */
  protected abstract give(bytes: Uint8Array, onRecord: OnRecord): void
}

/** Of UTF-8. @throws FormatError saying what is wrong */
export function parseJson(bytes: Uint8Array): unknown {
  try {
    return JSON.parse(new TextDecoder().decode(bytes))
  } catch (error) {
    throw new FormatError('not-a-take', `it is not JSON: ${(error as Error).message}`)
  }
}
