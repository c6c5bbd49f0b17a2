import { FormatError } from '../format/index.ts'
import { withoutMark } from './byte-order-mark.ts'
import { readOtlp } from './otlp.ts'
import { inRows, type OtlpTable } from './otlp-rows.ts'
import { readOtlpText } from './otlp-text.ts'
import { OtlpTake, WHOLE_FILE } from './otlp-take.ts'
import type { ImportFormat, OnRecord } from './import-format.ts'
import { parseJson, WholeFileSource } from './whole-file.ts'

/** A file of OTLP JSON: one request, or one a line. All its services make one take. */
class OtlpSource extends WholeFileSource {
  readonly format = 'otlp-json'
  #take: OtlpTake | null = null
  /** Lines that have been read; none where the first is no request: it may be one over several lines. */
  #lines = 0
  #isOverLines = false

  /** Reads each line as soon as it is whole: while the rest still arrives, and without keeping all of its text. */
  protected override keep(piece: Uint8Array): void {
    let from = 0
    while (!this.#isOverLines) {
      const end = piece.indexOf(LINE_FEED, from)
      if (end < 0) break
      super.keep(piece.subarray(from, end + 1))
      from = end + 1
      this.#readLine()
    }
    super.keep(piece.subarray(from))
  }

  #readLine(): void {
    const line = this.pieces.take()
    const read = this.#request(this.#lines === 0 ? withoutMark(line) : line)
    if (!(read instanceof Error) || this.#lines > 0) this.#addLine(line, read)
    else {
      this.#isOverLines = true
      super.keep(line)
    }
  }

  /** Of a line, or what is wrong with it. */
  #addLine(line: Uint8Array, read: OtlpTable[] | Error): void {
    this.#lines++
    if (!(read instanceof Error)) this.#add(read)
    else if (!isBlank(line)) this.skipped.add(`line ${this.#lines}: ${read.message}`)
  }

  #add(resources: OtlpTable[]): void {
    for (const resource of resources) {
      this.#take ??= new OtlpTake(this.options.take, resource, WHOLE_FILE)
      this.#take.add(resource)
    }
  }

  protected give(bytes: Uint8Array, onRecord: OnRecord): void {
    const { place } = this
    this.#readRest(bytes)
    const take = this.#take
    if (take === null) {
      throw new FormatError('not-a-take', this.skipped.named[0] ?? 'there is no span in it')
    }
    const records = take.flush()
    const end = take.end()
    if (end === null) {
      throw new FormatError(
        'not-a-take',
        'no span is a frame: none has the attribute "lapsus.frame"; say with --frame-marker which one is',
      )
    }
    if (take.outside > 0)
      this.skipped.add(
        take.outside === 1
          ? '1 span lies outside every frame'
          : `${take.outside} spans lie outside every frame`,
      )
    for (const record of records) onRecord(record, place)
    onRecord(end, place)
  }

  /** The last line, or, where the first was none, all there is: one request over several lines, or lines after all. */
  #readRest(bytes: Uint8Array): void {
    const whole = this.#request(bytes)
    if (!(whole instanceof Error)) this.#add(whole)
    else if (this.#lines > 0) this.#addLine(bytes, whole)
    else {
      const lines = [...linesOf(bytes)]
      if (lines.slice(1).every(isBlank)) parseJson(bytes)
      for (const line of lines) this.#addLine(line, this.#request(line))
    }
  }

  /** What a text says; an error where it is no JSON. */
  #request(bytes: Uint8Array): OtlpTable[] | Error {
    const { frameMarker } = this.options
    const read = readOtlpText(bytes, 0, bytes.length, frameMarker)
    if (read !== null) {
      for (const problem of read.problems) this.skipped.add(problem)
      return read.resources
    }
    try {
      const request: unknown = JSON.parse(new TextDecoder().decode(bytes))
      return readOtlp(request, this.skipped, frameMarker).map(inRows)
    } catch (error) {
      if (error instanceof SyntaxError) return error
      throw error
    }
  }
}

const SPACE = 0x20
const LINE_FEED = 0x0a

function* linesOf(bytes: Uint8Array): Generator<Uint8Array> {
  for (let from = 0; from < bytes.length;) {
    const at = bytes.indexOf(LINE_FEED, from)
    const end = at < 0 ? bytes.length : at
    yield bytes.subarray(from, end)
    from = end + 1
  }
}

const isBlank = (bytes: Uint8Array): boolean => bytes.every((byte) => byte <= SPACE)

export const otlpJson: ImportFormat = {
  name: 'otlp-json',
  begins: 'OTLP traces',
  isIt: ({ json }) => (json?.includes('"resourceSpans"') === true ? 'maybe' : 'no'),
  source: (options) => new OtlpSource(options),
}
