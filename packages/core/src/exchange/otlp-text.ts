/**
 * The same as otlp.ts reads, from the text of a request: several times as quick as making objects of it first. Layouts and
 * values that exporters do not write are left to the platform, span by span, and so are all complaints.
 */
import { LIMITS } from '../format/index.ts'
import { JsonReader, UNUSUAL } from './json-reader.ts'
import { Resources } from './otlp.ts'
import { OtlpRows, type OtlpTable } from './otlp-rows.ts'
import { blankSpan, eventsOf, fieldOf, fill, spanOf, textOf, type OtlpSpan } from './otlp-span.ts'
import { SpanText, type Like } from './otlp-span-text.ts'

/** What was read, and what was wrong with spans that were passed over, in words. */
export interface OtlpText {
  resources: OtlpTable[]
  problems: string[]
}

/**
 * Reads one request.
 * @param frameMarker name of the spans that are frames, besides those with the attribute
 * @returns null where the text is not as usual, if it is JSON at all
 */
export function readOtlpText(
  bytes: Uint8Array,
  from: number,
  end: number,
  frameMarker?: string,
): OtlpText | null {
  try {
    return new Reading(new JsonReader(bytes, from, end), frameMarker).request()
  } catch (error) {
    if (error === UNUSUAL || error instanceof SyntaxError) return null
    throw error
  }
}

class Reading {
  readonly #json: JsonReader
  readonly #frameMarker: string | undefined
  readonly #resources = new Resources<OtlpRows>((known, more) => known.addAll(more))
  readonly #problems: string[] = []
  readonly #span: SpanText
  #index = 0

  constructor(json: JsonReader, frameMarker: string | undefined) {
    this.#json = json
    this.#span = new SpanText(json)
    this.#frameMarker = frameMarker
  }

  request(): OtlpText {
    const json = this.#json
    json.open('{')
    while (json.more('{')) {
      if (json.key() !== 'resourceSpans') json.skip()
      else {
        this.#expectNoneSince(0)
        json.open('[')
        while (json.more('[')) this.#resourceSpans()
      }
    }
    if (!json.isAtEnd) throw UNUSUAL
    return { resources: this.#resources.all, problems: this.#problems }
  }

  #resourceSpans(): void {
    const json = this.#json
    const before = this.#index
    const rows = new OtlpRows()
    let resource: unknown
    json.open('{')
    while (json.more('{')) {
      const key = json.key()
      if (key === 'resource') resource = json.value()
      else if (key !== 'scopeSpans') json.skip()
      else {
        this.#expectNoneSince(before)
        json.open('[')
        while (json.more('[')) this.#scopeSpans(rows)
      }
    }
    if (rows.count > 0) this.#resources.add(resource, rows)
  }

  #scopeSpans(rows: OtlpRows): void {
    const json = this.#json
    const before = this.#index
    let scope = ''
    json.open('{')
    while (json.more('{')) {
      const key = json.key()
      if (key === 'scope') {
        this.#expectNoneSince(before)
        scope = textOf(fieldOf(json.value(), 'name'))
      } else if (key !== 'spans') json.skip()
      else {
        this.#expectNoneSince(before)
        json.open('[')
        while (json.more('[')) this.#addSpan(rows, scope)
      }
    }
  }

  /** A key that comes twice counts by its last; and a scope is to be known before its spans are. */
  #expectNoneSince(index: number): void {
    if (this.#index > index) throw UNUSUAL
  }

  #addSpan(rows: OtlpRows, scope: string): void {
    const from = this.#json.at
    try {
      this.#addUsual(rows, scope)
    } catch {
      this.#json.back(from)
      const raw = this.#json.value()
      try {
        rows.add(spanOf(raw, scope, this.#resources.times, this.#frameMarker))
      } catch (error) {
        this.#problems.push(`span ${this.#index}: ${(error as Error).message}`)
      }
    }
    this.#index++
  }

  /** @throws where it is not written as usual, or something is wrong with it */
  #addUsual(rows: OtlpRows, scope: string): void {
    const text = this.#span
    text.read()
    const { name, like } = text
    const { times } = this.#resources
    const startNs = times.at(text.startS, text.startRestNs) ?? NaN
    if (Number.isNaN(startNs)) throw UNUSUAL
    const durationNs = (times.at(text.endS, text.endRestNs) ?? NaN) - startNs
    if (!(durationNs >= 0 && durationNs <= LIMITS.largestWhole)) throw UNUSUAL
    const span = this.#filled(like, name, scope)
    const happened = Array.isArray(text.events) ? eventsOf(text.events, times) : span.events
    if (span.isFrame) {
      rows.frames.push({ lane: span.lane, startNs, durationNs, events: happened })
      return
    }
    const { others } = rows
    if (like.of !== others) {
      like.of = others
      like.manner = others.mannerOf(span)
    }
    const row = others.newRow()
    others.startNs[row] = startNs
    others.durationNs[row] = durationNs
    others.effect[row] = span.effect
    others.bytes[row] = span.bytes
    others.key[row] = span.key!
    others.manner[row] = like.manner
    others.idHigh[row] = text.idHigh
    others.idLow[row] = text.idLow
    others.parentHigh[row] = text.parentHigh
    others.parentLow[row] = text.parentLow
    if (happened.length > 0) others.events.set(row, happened)
  }

  /** What spans of that name and scope are by their attributes. */
  #filled(like: Like, name: string, scope: string): OtlpSpan {
    let { span } = like
    if (span !== null && span.name === name && like.scope === scope) return span
    span = { ...blankSpan(), name }
    fill(span, like.said, scope, this.#frameMarker)
    like.span = span
    like.scope = scope
    like.of = null
    return span
  }
}
