/**
 * The same as otlp.ts reads, from the text of a request: several times as quick as making objects of it first. Layouts and
 * values that exporters do not write are left to the platform, span by span, and so are all complaints.
 */
import { LIMITS } from '../format/index.ts'
import { JsonReader, literal, UNUSUAL, type Stretch } from './json-reader.ts'
import { Resources, type OtlpResource } from './otlp.ts'
import {
  blankSpan,
  eventsOf,
  fieldOf,
  fill,
  hear,
  nothingSaid,
  scalarOf,
  spanOf,
  textOf,
  type OtlpSpan,
  type Said,
} from './otlp-span.ts'
import type { UnixTimes } from './unix-times.ts'

/** What was read, and what was wrong with spans that were passed over, in words. */
export interface OtlpText {
  resources: OtlpResource[]
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
  readonly #resources = new Resources()
  readonly #problems: string[] = []
  readonly #habits: Habits = { keys: [], attributes: new Map() }
  #index = 0

  constructor(json: JsonReader, frameMarker: string | undefined) {
    this.#json = json
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
    const spans: OtlpSpan[] = []
    let resource: unknown
    json.open('{')
    while (json.more('{')) {
      const key = json.key()
      if (key === 'resource') resource = json.value()
      else if (key !== 'scopeSpans') json.skip()
      else {
        this.#expectNoneSince(before)
        json.open('[')
        while (json.more('[')) this.#scopeSpans(spans)
      }
    }
    this.#resources.add(resource, spans)
  }

  #scopeSpans(spans: OtlpSpan[]): void {
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
        while (json.more('[')) this.#addSpan(spans, scope)
      }
    }
  }

  /** A key that comes twice counts by its last; and a scope is to be known before its spans are. */
  #expectNoneSince(index: number): void {
    if (this.#index > index) throw UNUSUAL
  }

  #addSpan(spans: OtlpSpan[], scope: string): void {
    const from = this.#json.at
    const { times } = this.#resources
    try {
      spans.push(usualSpan(this.#json, this.#habits, scope, times, this.#frameMarker))
    } catch {
      this.#json.back(from)
      const raw = this.#json.value()
      try {
        spans.push(spanOf(raw, scope, times, this.#frameMarker))
      } catch (error) {
        this.#problems.push(`span ${this.#index}: ${(error as Error).message}`)
      }
    }
    this.#index++
  }
}

/** A key of a span as it came before: exporters write all spans alike. */
interface Habit {
  key: string
  /** With its quotes and colon. */
  stretch: Stretch
  /** The same with a value of no interest, which is mostly the same; null where it is of interest. */
  withValue: Stretch | null
}

/** How spans have been written so far. */
interface Habits {
  keys: Habit[]
  /** By name of the span: its attributes as they were written last, and what they say. */
  attributes: Map<string, { stretch: Stretch; said: Said }>
}

/** Names made per entity are no habit. */
const MOST_HABITS = 4_096

const NOTHING: Said = nothingSaid()

/** @throws where it is not written as usual, or something is wrong with it */
function usualSpan(
  json: JsonReader,
  habits: Habits,
  scope: string,
  times: UnixTimes,
  frameMarker: string | undefined,
): OtlpSpan {
  const span = blankSpan()
  let said = NOTHING
  let events: unknown
  let [startS, startRestNs, endS, endRestNs] = [NaN, NaN, NaN, NaN]
  json.open('{')
  for (let i = 0; json.more('{'); i++) {
    const habit = habits.keys[i]
    if (habit?.withValue && json.passesFieldAgain(habit.withValue)) continue
    const from = json.at
    const key = habit !== undefined && json.passesAgain(habit.stretch) ? habit.key : json.key()
    if (key !== habit?.key) habits.keys[i] = { key, stretch: json.since(from), withValue: null }
    switch (key) {
      case 'spanId':
        span.id = json.name() || undefined
        break
      case 'parentSpanId':
        span.parent = json.name() || undefined
        break
      case 'name':
        span.name = json.word().slice(0, LIMITS.nameLength)
        break
      case 'startTimeUnixNano':
        json.digits()
        startS = json.high
        startRestNs = json.low
        break
      case 'endTimeUnixNano':
        json.digits()
        endS = json.high
        endRestNs = json.low
        break
      case 'attributes':
        said = readAttributes(json, habits, span.name)
        break
      case 'events':
        events = json.value()
        break
      default:
        json.skip()
        habits.keys[i]!.withValue = json.since(from)
    }
  }
  if (span.name === '' || Number.isNaN(startS + endS)) throw UNUSUAL
  span.startNs = times.at(startS, startRestNs) ?? NaN
  if (Number.isNaN(span.startNs)) throw UNUSUAL
  span.durationNs = (times.at(endS, endRestNs) ?? NaN) - span.startNs
  if (!(span.durationNs >= 0 && span.durationNs <= LIMITS.largestWhole)) throw UNUSUAL
  fill(span, said, scope, frameMarker)
  if (Array.isArray(events)) span.events = eventsOf(events, times)
  return span
}

/** @param name of the span, if that is known by now */
function readAttributes(json: JsonReader, { attributes }: Habits, name: string): Said {
  const habit = attributes.get(name)
  if (habit !== undefined && json.passesAgain(habit.stretch)) return habit.said
  const begun = json.at
  const said = nothingSaid()
  json.open('[')
  while (json.more('[')) {
    const from = json.at
    if (hearUsual(json, said)) continue
    json.back(from)
    const item = json.value()
    const value = scalarOf(fieldOf(item, 'value'))
    if (value !== null) hear(said, textOf(fieldOf(item, 'key')), value)
  }
  if (attributes.size < MOST_HABITS || habit !== undefined)
    attributes.set(name, { stretch: json.since(begun), said })
  return said
}

const KEY = literal('{"key":"')
const TEXT = literal(',"value":{"stringValue":"')
const WHOLE = literal(',"value":{"intValue":"')
const TRUE = literal(',"value":{"boolValue":true}}')
const FALSE = literal(',"value":{"boolValue":false}}')
const END = literal('}}')

/** Hears an attribute as exporters write it, without white space. @returns false where it is another way */
function hearUsual(json: JsonReader, said: Said): boolean {
  if (!json.passes(KEY)) return false
  const key = json.restOfWord()
  const isText = json.passes(TEXT)
  if (isText || json.passes(WHOLE)) {
    const word = json.restOfWord()
    if (!json.passes(END)) return false
    const value = isText ? word.slice(0, LIMITS.nameLength) : Number(word)
    if (isText || Number.isFinite(value)) hear(said, key, value)
    return true
  }
  const isTrue = json.passes(TRUE)
  if (!isTrue && !json.passes(FALSE)) return false
  hear(said, key, isTrue)
  return true
}
