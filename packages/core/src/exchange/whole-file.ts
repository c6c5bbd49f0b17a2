import { FormatError, type FormatErrorPlace } from '../format/index.ts'
import { withoutMark } from './byte-order-mark.ts'
import { Skipped, type OnRecord, type SourceOptions, type TakeSource } from './import-format.ts'
import { Pieces } from './pieces.ts'

/** Foreign files are put together from all their spans, so they are held in memory: up to here. */
const MOST_BYTES = 256 * 1024 * 1024

/** A source that has to see all of a JSON file before it can give records. */
export abstract class WholeFileSource implements TakeSource {
  abstract readonly format: string
  readonly lenient = true
  readonly skipped = new Skipped()
  protected readonly options: SourceOptions
  protected readonly pieces = new Pieces()
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
      this.pieces.take()
      throw new FormatError('too-large', `more than ${MOST_BYTES} bytes of JSON in one file`).at(this.place)
    }
    this.keep(piece)
  }

  protected keep(piece: Uint8Array): void {
    this.pieces.add(piece)
  }

  finish(onRecord: OnRecord): void {
    this.give(withoutMark(this.pieces.take()), onRecord)
    this.ended = true
  }

  /**
   * Gives the records at the end.
   * @param bytes what has been kept
   * @throws FormatError when there is nothing right in it
   */
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
