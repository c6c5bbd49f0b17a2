import { FormatError } from '../format/index.ts'
import { readOtlp, type OtlpResource } from './otlp.ts'
import { OtlpTake, WHOLE_FILE } from './otlp-take.ts'
import type { ImportFormat, OnRecord } from './import-format.ts'
import { parseJson, WholeFileSource } from './whole-file.ts'

/** A file of OTLP JSON: one request, or one a line. All its services make one take. */
class OtlpSource extends WholeFileSource {
  readonly format = 'otlp-json'

  protected give(text: string, onRecord: OnRecord): void {
    const { frameMarker, take } = this.options
    const resources: OtlpResource[] = []
    for (const request of this.#requests(text))
      for (const resource of readOtlp(request, this.skipped, frameMarker)) resources.push(resource)
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

  /** One after the other: all of a large file at once, as objects, would keep the collector busy. */
  *#requests(text: string): Generator<unknown> {
    const lines = text.split('\n')
    const [first, ...others] = lines
    const alone = tryJson(first!)
    // Where the first line is none, the whole may be one request over several lines.
    const whole = alone instanceof Error ? tryJson(text) : null
    if (whole !== null && !(whole instanceof Error)) {
      yield whole.value
      return
    }
    if (whole !== null && others.every((line) => line.trim() === '')) parseJson(text)
    for (const [i, line] of lines.entries()) {
      if (line.trim() === '') continue
      const request = i === 0 ? alone : tryJson(line)
      if (request instanceof Error) this.skipped.add(`line ${i + 1}: ${request.message}`)
      else yield request.value
    }
  }
}

function tryJson(text: string): { value: unknown } | Error {
  try {
    return { value: JSON.parse(text) as unknown }
  } catch (error) {
    return error as Error
  }
}

export const otlpJson: ImportFormat = {
  name: 'otlp-json',
  begins: 'OTLP traces',
  isIt: ({ json }) => (json?.includes('"resourceSpans"') === true ? 'maybe' : 'no'),
  source: (options) => new OtlpSource(options),
}
