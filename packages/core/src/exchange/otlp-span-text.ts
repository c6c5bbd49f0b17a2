/**
 * The fields of one span, from the text of a request. Those of a file mostly differ from one before of the same name by
 * their numbers alone: then all the rest is compared, and not read.
 */
import { LIMITS } from '../format/index.ts'
import { literal, UNUSUAL, type JsonReader, type Stretch } from './json-reader.ts'
import { KeyHabits } from './key-habits.ts'
import type { LooseSpans } from './loose-spans.ts'
import { fieldOf, hear, nothingSaid, scalarOf, textOf, type OtlpSpan, type Said } from './otlp-span.ts'

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
/** What is read of each span. */
const READ_OF_EACH = [ID, PARENT, NAME, START, END]

/** A value that is read of each span, and all that stands before it, behind the one before. */
interface Part {
  before: Stretch
  field: number
}

/** How spans of a name go on behind it. */
interface Tail {
  parts: Part[]
  last: Stretch
  like: Like
  /** Spans of the name that went on otherwise, in a row. */
  misses: number
}

/** After so many in a row, spans of a name are not compared any more. */
const MOST_MISSES = 16

/** Reads spans, one after the other; what was read last is in its fields. */
export class SpanText {
  name = ''
  like!: Like
  /** A list where there was one of them. */
  events: unknown
  /** 64 bits in two halves; 0 and 0 where there is none. */
  idHigh = 0
  idLow = 0
  parentHigh = 0
  parentLow = 0
  /** Whole seconds, and ns; NaN where they are not said. */
  startS = NaN
  startRestNs = NaN
  endS = NaN
  endRestNs = NaN
  readonly #json: JsonReader
  readonly #habits: Habits = { keys: new KeyHabits(FIELDS), silent: new Map(), attributes: new Map() }
  /** How the last span began that was read in full, up to its name; empty before there is one. */
  #head: Part[] = []
  readonly #tails = new Map<string, Tail>()

  constructor(json: JsonReader) {
    this.#json = json
  }

  /** @throws UNUSUAL where it is not written as usual */
  read(): void {
    const from = this.#json.at
    this.#clear()
    if (!this.#isAlike()) {
      this.#json.again(from)
      this.#clear()
      this.#readAll()
    }
    if (this.name === '' || Number.isNaN(this.startS + this.endS)) throw UNUSUAL
  }

  #clear(): void {
    this.name = ''
    this.events = undefined
    this.idHigh = this.idLow = this.parentHigh = this.parentLow = 0
    this.startS = this.startRestNs = this.endS = this.endRestNs = NaN
  }

  /** Whether it is as one before, but for what is read of each. */
  #isAlike(): boolean {
    const json = this.#json
    const head = this.#head
    if (head.length === 0) return false
    for (let i = 0; i < head.length; i++) {
      const { before, field } = head[i]!
      if (!json.passesAgain(before)) return false
      this.#value(field)
    }
    const tail = this.#tails.get(this.name)
    if (tail === undefined || tail.misses === MOST_MISSES) return false
    tail.misses++
    for (let i = 0; i < tail.parts.length; i++) {
      const { before, field } = tail.parts[i]!
      if (!json.passesAgain(before)) return false
      this.#value(field)
    }
    if (!json.passesAgain(tail.last)) return false
    tail.misses = 0
    this.like = tail.like
    return true
  }

  #readAll(): void {
    const json = this.#json
    const { keys } = this.#habits
    const parts: Part[] = []
    let begun = json.at
    let like: Like | null = null
    let isUsual = true
    json.open('{')
    for (let i = 0; json.more('{'); i++) {
      const field = keys.next(json, i)
      if (field === ATTRIBUTES) {
        like = readAttributes(json, this.#habits, this.name)
        // Before the name they would be taken for those of another.
        isUsual &&= this.name !== ''
      } else if (field === EVENTS) {
        this.events = json.value()
        isUsual &&= !Array.isArray(this.events) || this.events.length === 0
      } else if (READ_OF_EACH.includes(field)) {
        parts.push({ before: json.since(begun), field })
        this.#value(field)
        begun = json.at
      }
    }
    this.like = like ?? saysNothing(this.#habits, this.name)
    if (isUsual && this.name !== '') this.#learn(parts, json.since(begun))
  }

  #value(field: number): void {
    const json = this.#json
    switch (field) {
      case ID:
        json.hexadecimal()
        this.idHigh = json.high
        this.idLow = json.low
        break
      case PARENT:
        json.hexadecimal()
        this.parentHigh = json.high
        this.parentLow = json.low
        break
      case NAME:
        this.name = json.word().slice(0, LIMITS.nameLength)
        break
      case START:
        json.digits()
        this.startS = json.high
        this.startRestNs = json.low
        break
      case END:
        json.digits()
        this.endS = json.high
        this.endRestNs = json.low
    }
  }

  /** @param last what stands behind the last of the parts */
  #learn(parts: Part[], last: Stretch): void {
    const named = parts.findIndex(({ field }) => field === NAME)
    this.#head = parts.slice(0, named + 1)
    const known = this.#tails.get(this.name)
    if (known === undefined && this.#tails.size === MOST_HABITS) return
    const misses = known?.misses ?? 0
    this.#tails.set(this.name, { parts: parts.slice(named + 1), last, like: this.like, misses })
  }
}

/** What spans with the same attributes have in common. */
export interface Like {
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
