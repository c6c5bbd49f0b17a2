import { FormatError } from '../format/index.ts'
import { readOtlp } from './otlp.ts'
import { OtlpTake, WHOLE_FILE } from './otlp-take.ts'
import type { ImportFormat, OnRecord } from './import-format.ts'
import { parseJson, WholeFileSource } from './whole-file.ts'

/** A file of OTLP JSON: one request, or one a line. All its services make one take. */
class OtlpSource extends WholeFileSource {
  readonly format = 'otlp-json'

  protected give(text: string, onRecord: OnRecord): void {
    const { frameMarker, take } = this.options
    const resources = this.#requests(text).flatMap((request) => readOtlp(request, this.skipped, frameMarker))
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

  #requests(text: string): unknown[] {
    try {
      return [JSON.parse(text)]
    } catch {
      const lines = text.split('\n').filter((line) => line.trim() !== '')
      if (lines.length < 2) return [parseJson(text)]
      return lines.flatMap((line, i) => {
        try {
          return [JSON.parse(line) as unknown]
        } catch (error) {
          this.skipped.add(`line ${i + 1}: ${(error as Error).message}`)
          return []
        }
      })
    }
  }
}

export const otlpJson: ImportFormat = {
  name: 'otlp-json',
  begins: 'OTLP traces',
  isIt: ({ json }) => (json?.includes('"resourceSpans"') === true ? 'maybe' : 'no'),
  source: (options) => new OtlpSource(options),
}
