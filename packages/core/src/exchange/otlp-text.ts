/**
 * The same as otlp.ts reads, from the text of a request: several times as quick as making objects of it first. Layouts and
 * values that exporters do not write are left to the platform, span by span, and so are all complaints.
 */
import { LIMITS } from '../format/index.ts'
import { JsonReader, literal, UNUSUAL, type Stretch } from './json-reader.ts'
import { KeyHabits } from './key-habits.ts'
import type { LooseSpans } from './loose-spans.ts'
import { Resources } from './otlp.ts'
import { OtlpRows, type OtlpTable } from './otlp-rows.ts'
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
  readonly #habits: Habits = { keys: new KeyHabits(FIELDS), silent: new Map(), attributes: new Map() }
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
    const json = this.#json
    const { keys } = this.#habits
    const { times } = this.#resources
    let name = ''
    let like: Like | null = null
    let events: unknown
    let idHigh = 0
    let idLow = 0
    let parentHigh = 0
    let parentLow = 0
    let startS = NaN
    let startRestNs = NaN
    let endS = NaN
    let endRestNs = NaN
    json.open('{')
    for (let i = 0; json.more('{'); i++)
      switch (keys.next(json, i)) {
        case ID:
          json.hexadecimal()
          idHigh = json.high
          idLow = json.low
          break
        case PARENT:
          json.hexadecimal()
          parentHigh = json.high
          parentLow = json.low
          break
        case NAME:
          name = json.word().slice(0, LIMITS.nameLength)
          break
        case START:
          json.digits()
          startS = json.high
          startRestNs = json.low
          break
        case END:
          json.digits()
          endS = json.high
          endRestNs = json.low
          break
        case ATTRIBUTES:
          like = readAttributes(json, this.#habits, name)
          break
        case EVENTS:
          events = json.value()
      }
    if (name === '' || Number.isNaN(startS + endS)) throw UNUSUAL
    const startNs = times.at(startS, startRestNs) ?? NaN
    if (Number.isNaN(startNs)) throw UNUSUAL
    const durationNs = (times.at(endS, endRestNs) ?? NaN) - startNs
    if (!(durationNs >= 0 && durationNs <= LIMITS.largestWhole)) throw UNUSUAL
    like ??= saysNothing(this.#habits, name)
    const span = this.#filled(like, name, scope)
    const happened = Array.isArray(events) ? eventsOf(events, times) : span.events
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
    others.idHigh[row] = idHigh
    others.idLow[row] = idLow
    others.parentHigh[row] = parentHigh
    others.parentLow[row] = parentLow
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

const ID = 0
const PARENT = 1
const NAME = 2
const START = 3
const END = 4
const ATTRIBUTES = 5
const EVENTS = 6
const FIELDS = new Map([
  ['spanId', ID],
  ['parentSpanId', PARENT],
  ['name', NAME],
  ['startTimeUnixNano', START],
  ['endTimeUnixNano', END],
  ['attributes', ATTRIBUTES],
  ['events', EVENTS],
])

/** What spans with the same attributes have in common. */
interface Like {
  said: Said
  /** A span filled in from that, for a name and a scope; null before there is one. */
  span: OtlpSpan | null
  scope: string
  /** Its manner in these, if they are the ones. */
  of: LooseSpans | null
  manner: number
}

/** How spans have been written so far. */
interface Habits {
  keys: KeyHabits
  /** By name of the span: without attributes. */
  silent: Map<string, Like>
  /** By name of the span: its attributes as they were written last, and what they say. */
  attributes: Map<string, { stretch: Stretch; like: Like }>
}

/** Names made per entity are no habit. */
const MOST_HABITS = 4_096

const likeOf = (said: Said): Like => ({ said, span: null, scope: '', of: null, manner: 0 })

function saysNothing({ silent }: Habits, name: string): Like {
  const known = silent.get(name)
  if (known !== undefined) return known
  const like = likeOf(nothingSaid())
  if (silent.size < MOST_HABITS) silent.set(name, like)
  return like
}

/** @param name of the span, if that is known by now */
function readAttributes(json: JsonReader, { attributes }: Habits, name: string): Like {
  const habit = attributes.get(name)
  if (habit !== undefined && json.passesAgain(habit.stretch)) return habit.like
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
  const like = likeOf(said)
  if (attributes.size < MOST_HABITS || habit !== undefined)
    attributes.set(name, { stretch: json.since(begun), like })
  return like
}

const KEY = literal('{"key":"')
const TEXT = literal(',"value":{"stringValue":"')
const WHOLE = literal(',"value":{"intValue":"')
const TRUE = literal(',"value":{"boolValue":true}}')
const FALSE = literal(',"value":{"boolValue":false}}')
const CLOSE = literal('}}')

/** Hears an attribute as exporters write it, without white space. @returns false where it is another way */
function hearUsual(json: JsonReader, said: Said): boolean {
  if (!json.passes(KEY)) return false
  const key = json.restOfWord()
  const isText = json.passes(TEXT)
  if (isText || json.passes(WHOLE)) {
    const word = json.restOfWord()
    if (!json.passes(CLOSE)) return false
    const value = isText ? word.slice(0, LIMITS.nameLength) : Number(word)
    if (isText || Number.isFinite(value)) hear(said, key, value)
    return true
  }
  const isTrue = json.passes(TRUE)
  if (!isTrue && !json.passes(FALSE)) return false
  hear(said, key, isTrue)
  return true
}
