import { FormatError } from '../format/index.ts'
import { readOtlp, type OtlpResource } from './otlp.ts'
import { readOtlpText } from './otlp-text.ts'
import { OtlpTake, WHOLE_FILE } from './otlp-take.ts'
import type { ImportFormat, OnRecord } from './import-format.ts'
import { parseJson, WholeFileSource } from './whole-file.ts'

/** A file of OTLP JSON: one request, or one a line. All its services make one take. */
class OtlpSource extends WholeFileSource {
  readonly format = 'otlp-json'

  protected give(bytes: Uint8Array, onRecord: OnRecord): void {
    const { take } = this.options
    const resources: OtlpResource[] = []
    for (const read of this.#requests(bytes)) for (const resource of read) resources.push(resource)
    if (resources.length === 0) {
      throw new FormatError('not-a-take', this.skipped.named[0] ?? 'there is no span in it')
    }
    const whole = new OtlpTake(take, resources[0]!, WHOLE_FILE)
    const { place } = this
    for (const resource of resources) whole.add(resource)
    const records = whole.flush()
    const end = whole.end()
    if (end === null) {
      throw new FormatError(
        'not-a-take',
        'no span is a frame: none has the attribute "lapsus.frame"; say with --frame-marker which one is',
      )
    }
    if (whole.outside > 0)
      this.skipped.add(
        whole.outside === 1
          ? '1 span lies outside every frame'
          : `${whole.outside} spans lie outside every frame`,
      )
    for (const record of records) onRecord(record, place)
    onRecord(end, place)
  }

  /** What is in each, one after the other: all of a large file at once, as objects, would keep the collector busy. */
  *#requests(bytes: Uint8Array): Generator<OtlpResource[]> {
    const firstEnd = endOfLine(bytes, 0)
    const first = this.#request(bytes, 0, firstEnd)
    // Where the first line is none, the whole may be one request over several lines.
    const whole = first instanceof Error ? this.#request(bytes, 0, bytes.length) : null
    if (whole !== null && !(whole instanceof Error)) {
      yield whole
      return
    }
    if (whole !== null && isBlank(bytes, firstEnd, bytes.length)) parseJson(bytes)
    for (let line = 1, from = 0; from < bytes.length; line++) {
      const end = endOfLine(bytes, from)
      const request = from === 0 ? first : this.#request(bytes, from, end)
      if (!(request instanceof Error)) yield request
      else if (!isBlank(bytes, from, end)) this.skipped.add(`line ${line}: ${request.message}`)
      from = end + 1
    }
  }

  /** What a part of the text says; an error where it is no JSON. */
  #request(bytes: Uint8Array, from: number, end: number): OtlpResource[] | Error {
    const { frameMarker } = this.options
    const read = readOtlpText(bytes, from, end, frameMarker)
    if (read !== null) {
      for (const problem of read.problems) this.skipped.add(problem)
      return read.resources
    }
    try {
      const json = JSON.parse(new TextDecoder().decode(bytes.subarray(from, end))) as unknown
      return readOtlp(json, this.skipped, frameMarker)
    } catch (error) {
      if (error instanceof SyntaxError) return error
      throw error
    }
  }
}

const SPACE = 0x20
const LINE_FEED = 0x0a

function endOfLine(bytes: Uint8Array, from: number): number {
  const at = bytes.indexOf(LINE_FEED, from)
  return at < 0 ? bytes.length : at
}

const isBlank = (bytes: Uint8Array, from: number, end: number): boolean =>
  bytes.subarray(from, end).every((byte) => byte <= SPACE)

export const otlpJson: ImportFormat = {
  name: 'otlp-json',
  begins: 'OTLP traces',
  isIt: ({ json }) => (json?.includes('"resourceSpans"') === true ? 'maybe' : 'no'),
  source: (options) => new OtlpSource(options),
}
