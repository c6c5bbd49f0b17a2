/** Knows each format by how it begins. */
import { FormatError, type FormatErrorPlace } from '../format/index.ts'
import { BYTE_ORDER_MARK } from './byte-order-mark.ts'
import { takeFile } from './cbor-source.ts'
import { jsonLines } from './json-lines.ts'
import { otlpJson } from './otlp-source.ts'
import {
  Skipped,
  type ImportFormat,
  type OnRecord,
  type SourceOptions,
  type TakeSource,
} from './import-format.ts'
import { timeline } from './timeline.ts'

/** Every format that takes can be read from; of those that a file begins like, the first counts. */
export const IMPORT_FORMATS: readonly ImportFormat[] = [takeFile, otlpJson, timeline, jsonLines]

/** Enough to see what a JSON object is. */
const ENOUGH_BYTES = 4_096

/** A source that finds out what it is from its first bytes. */
export class AnySource implements TakeSource {
  readonly #options: SourceOptions
  #start = new Uint8Array(0)
  #source: TakeSource | null = null
  readonly #noneSkipped = new Skipped()

  constructor(options: SourceOptions) {
    this.#options = options
  }

  get format(): string {
    return this.#source?.format ?? 'take'
  }

  get lenient(): boolean {
    return this.#source?.lenient ?? false
  }

  get ended(): boolean {
    return this.#source?.ended ?? false
  }

  get skipped(): Skipped {
    return this.#source?.skipped ?? this.#noneSkipped
  }

  get place(): FormatErrorPlace {
    return this.#source?.place ?? { record: 0, offset: 0 }
  }

  get pendingBytes(): number {
    return this.#source?.pendingBytes ?? this.#start.length
  }

  push(piece: Uint8Array, onRecord: OnRecord): void {
    if (this.#source !== null) {
      this.#source.push(piece, onRecord)
      return
    }
    const start = new Uint8Array(this.#start.length + piece.length)
    start.set(this.#start)
    start.set(piece, this.#start.length)
    this.#start = start
    if (start.length >= ENOUGH_BYTES || !(mayBeJson(start) || isBlank(start))) this.#decide(onRecord)
  }

  finish(onRecord: OnRecord): void {
    if (this.#source === null) this.#decide(onRecord)
    this.#source!.finish(onRecord)
  }

  #decide(onRecord: OnRecord): void {
    this.#source = this.#sourceFor(this.#start)
    const start = this.#start
    this.#start = new Uint8Array(0)
    if (start.length > 0) this.#source.push(start, onRecord)
  }

  #sourceFor(bytes: Uint8Array): TakeSource {
    const json = mayBeJson(bytes) ? new TextDecoder().decode(bytes).trimStart() : null
    const start = { bytes, json }
    const found =
      IMPORT_FORMATS.find((format) => format.isIt(start) === 'surely') ??
      IMPORT_FORMATS.find((format) => format.isIt(start) === 'maybe')
    if (found !== undefined) return found.source(this.#options)
    if (json === null) {
      const what = isText(bytes)
        ? 'it is text, and no JSON'
        : 'it begins with bytes that no take file begins with'
      throw new FormatError(
        'not-a-take',
        `${what}; takes come as take files, or in one of several forms of JSON`,
      )
    }
    const known = IMPORT_FORMATS.filter(({ name }) => name !== 'take').map(({ begins }) => begins)
    throw new FormatError(
      'not-a-take',
      `it is JSON, but neither ${known.slice(0, -1).join(', nor ')}, nor ${known.at(-1)}`,
    ).at({ record: 0, offset: 0 })
  }
}

/** What a decoder puts in place of bytes that are no UTF-8. */
const NO_CHARACTER = '\ufffd'

/** UTF-8 without control characters, as far as it has come: its last character may be cut. */
function isText(start: Uint8Array): boolean {
  const text = [...new TextDecoder().decode(start)]
  return text.every((character, i) =>
    character < ' ' ? '\t\n\r'.includes(character) : character !== NO_CHARACTER || i === text.length - 1,
  )
}

const WHITE_SPACE = [0x20, 0x09, 0x0a, 0x0d]

/** Where a byte order mark and white space end. */
function endOfBlank(start: Uint8Array): number {
  let at = 0
  while (at < BYTE_ORDER_MARK.length && start[at] === BYTE_ORDER_MARK[at]) at++
  // A part of the mark is none, unless the rest is still to come.
  if (at < BYTE_ORDER_MARK.length && at < start.length) at = 0
  while (at < start.length && WHITE_SPACE.includes(start[at]!)) at++
  return at
}

/** Begins with a brace or a bracket, after a byte order mark or white space. */
const mayBeJson = (start: Uint8Array): boolean => [0x7b, 0x5b].includes(start[endOfBlank(start)] ?? 0)

/** Nothing has come that tells. */
const isBlank = (start: Uint8Array): boolean => endOfBlank(start) === start.length
