import { FormatError, type FormatErrorPlace } from '../format/index.ts'
import { Skipped, type OnRecord, type SourceOptions, type TakeSource } from './import-format.ts'

/** Foreign files are put together from all their spans, so they are held in memory: up to here. */
const MOST_BYTES = 256 * 1024 * 1024

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
    const decoder = new TextDecoder()
    const text =
      this.#pieces.map((piece) => decoder.decode(piece, { stream: true })).join('') + decoder.decode()
    this.#pieces = []
    this.give(text, onRecord)
    this.ended = true
  }

  /** @throws FormatError when there is nothing right in it */
  protected abstract give(text: string, onRecord: OnRecord): void
}

export function parseJson(text: string): unknown {
  try {
    return JSON.parse(text)
  } catch (error) {
    throw new FormatError('not-a-take', `it is not JSON: ${(error as Error).message}`)
  }
}
