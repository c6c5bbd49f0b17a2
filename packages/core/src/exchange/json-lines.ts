/** The records of a take as JSON, one a line, columns as plain arrays: docs/format.md, "JSON lines". */
import {
  FormatError,
  locate,
  validateRecord,
  wireRecord,
  type AnyRecord,
  type FormatErrorPlace,
} from '../format/index.ts'
import { LineSplitter } from './lines.ts'
import { Skipped, type OnRecord, type TakeSource, type ImportFormat } from './import-format.ts'

export class JsonLinesSource implements TakeSource {
  readonly format = 'json-lines'
  readonly lenient = true
  readonly skipped = new Skipped()
  readonly #lines = new LineSplitter()
  #sequence = 0
  #begun = false
  #ended = false

  get ended(): boolean {
    return this.#ended
  }

  /** Records are counted by line. */
  get place(): FormatErrorPlace {
    return { record: this.#lines.line - 1, offset: this.#lines.offset }
  }

  get pendingBytes(): number {
    return this.#lines.pendingBytes
  }

  push(piece: Uint8Array, onRecord: OnRecord): void {
    this.#lines.push(piece, (text) => this.#take(text, onRecord))
  }

  finish(onRecord: OnRecord): void {
    this.#lines.finish((text) => this.#take(text, onRecord))
    if (!this.#begun) {
      throw new FormatError('not-a-take', this.skipped.named[0] ?? 'there is no line in it').at(this.place)
    }
  }

  #take(text: string, onRecord: OnRecord): void {
    if (text.trim() === '') return
    const { place } = this
    let record: AnyRecord
    try {
      record = this.#parse(text)
    } catch (error) {
      if (!(error instanceof FormatError)) throw error
      // Without its first record there is no telling what the rest belongs to.
      if (!this.#begun) throw error.at(place)
      this.skipped.add(`line ${this.#lines.line}: ${error.reason}`)
      return
    }
    this.#begun = true
    if (record.record === 'end') this.#ended = true
    locate(place, () => onRecord(record, place))
  }

  #parse(text: string): AnyRecord {
    let value: unknown
    try {
      value = JSON.parse(text)
    } catch (error) {
      throw new FormatError('bad-field', `a line of JSON: ${(error as Error).message}`)
    }
    const isTake = (value as { record?: unknown } | null)?.record === 'take'
    if (isTake && this.#ended) {
      this.#sequence = 0
      this.#ended = false
      return validateRecord(value)
    }
    if (this.#ended) throw new FormatError('after-end', 'got another line')
    if (isTake === this.#begun) {
      throw new FormatError('not-a-take', isTake ? 'got that record again' : 'the first record is another')
    }
    if (isTake) return validateRecord(value)
    // Lines follow each other: their numbers need not be written.
    const record = validateRecord({ ...(value as object), sequence: this.#sequence + 1 })
    this.#sequence++
    return record
  }
}

/** One record as a line of JSON, with its line break. */
export function jsonLine(record: AnyRecord): string {
  return (
    JSON.stringify(wireRecord(record), (_, value: unknown) =>
      ArrayBuffer.isView(value) ? Array.from(value as unknown as ArrayLike<number>) : value,
    ) + '\n'
  )
}

export const jsonLines: ImportFormat = {
  name: 'json-lines',
  begins: 'lines of records',
  isIt({ json }) {
    if (json === null) return 'no'
    if (/^\{\s*"(record|lapsus|take)"/.test(json)) return 'surely'
    return json.includes('"record"') ? 'maybe' : 'no'
  },
  source: () => new JsonLinesSource(),
}
