/**
 * Spans as the foreign formats give them, without nesting, lanes or numbers, in columns: as objects, all of a large file
 * would keep the collector busy for longer than it takes to read.
 */
import type { MarkerKind, Moment, Place } from '../format/index.ts'
import { NO_KEY } from '../format/index.ts'
import { digitOf } from './hexadecimal.ts'

export interface LooseSpan {
  lane: string
  name: string
  group: string
  kind: MarkerKind
  /** ns since the take's start, or whatever all of them count from. */
  startNs: number
  durationNs: number
  effect: number
  /** BYTES_UNKNOWN where not said. */
  bytes: number
  /** NO_KEY, or left out, where it has none. */
  key?: number
  /** Where in the code, if that is said; the first of a marker's spans tells. */
  at?: Place | null
  /** Its name and that of the span it ran in, where the format gives them; or else times tell. */
  id?: string | undefined
  parent?: string | undefined
  /** On the same clock. */
  events?: Moment[]
}

/** What many spans have in common: where they ran, and what. */
export type Manner = Pick<LooseSpan, 'lane' | 'name' | 'group' | 'kind'> & { at: Place | null }

const FIRST_ROOM = 1_024
const NOT_YET = -1
const COLUMNS = [
  'startNs',
  'durationNs',
  'effect',
  'bytes',
  'key',
  'manner',
  'idHigh',
  'idLow',
  'parentHigh',
  'parentLow',
] as const
type Column = Float64Array | Uint32Array | Uint8Array

export class LooseSpans {
  count = 0
  /** Each has `count` rows; what follows is undefined. */
  startNs = new Float64Array(FIRST_ROOM)
  durationNs = new Float64Array(FIRST_ROOM)
  effect = new Uint8Array(FIRST_ROOM)
  bytes = new Float64Array(FIRST_ROOM)
  key = new Uint32Array(FIRST_ROOM)
  /** Index in `manners`. */
  manner = new Uint32Array(FIRST_ROOM)
  /** Names in 64 bits, of itself and of the span it ran in, high and low half; 0 and 0 where there is none. */
  idHigh = new Uint32Array(FIRST_ROOM)
  idLow = new Uint32Array(FIRST_ROOM)
  parentHigh = new Uint32Array(FIRST_ROOM)
  parentLow = new Uint32Array(FIRST_ROOM)
  readonly manners: Manner[] = []
  /** By row; few have any. */
  readonly events = new Map<number, Moment[]>()
  readonly #byWords = new Map<string, number>()
  /** By name: what spans of that name are mostly like. */
  readonly #lastOfName = new Map<string, number>()

  static of(spans: Iterable<LooseSpan>): LooseSpans {
    const all = new LooseSpans()
    for (const span of spans) all.add(span)
    return all
  }

  add(span: LooseSpan): void {
    const row = this.newRow()
    this.startNs[row] = span.startNs
    this.durationNs[row] = span.durationNs
    this.effect[row] = span.effect
    this.bytes[row] = span.bytes
    this.key[row] = span.key ?? NO_KEY
    this.manner[row] = this.mannerOf(span)
    identify(span.id, this.idHigh, this.idLow, row)
    identify(span.parent, this.parentHigh, this.parentLow, row)
    if (span.events !== undefined && span.events.length > 0) this.events.set(row, span.events)
  }

  /** A row to be filled in, in every column. */
  newRow(): number {
    if (this.count === this.startNs.length) this.#grow(2 * this.count)
    return this.count++
  }

  /** Takes over all of others. @param shiftNs added to their times */
  addAll(others: LooseSpans, shiftNs: number): void {
    const first = this.count
    this.count += others.count
    if (this.count > this.startNs.length) this.#grow(Math.max(this.count, 2 * this.startNs.length))
    for (const name of COLUMNS) {
      const [own, from]: [Column, Column] = [this[name], others[name]]
      own.set(from.subarray(0, others.count), first)
    }
    const manners = others.manners.map((manner) => this.mannerOf(manner))
    for (let row = first; row < this.count; row++) {
      this.manner[row] = manners[this.manner[row]!]!
      this.startNs[row]! += shiftNs
    }
    for (const [row, events] of others.events)
      this.events.set(
        first + row,
        events.map((event) => ({ ...event, atNs: event.atNs + shiftNs })),
      )
  }

  /** When the last of them ends; -Infinity where there is none. */
  get latestNs(): number {
    let latestNs = -Infinity
    for (let row = 0; row < this.count; row++)
      latestNs = Math.max(latestNs, this.startNs[row]! + this.durationNs[row]!)
    return latestNs
  }

  /** Those that begin within a time, its end not included; their own from then on. */
  between(fromNs: number, untilNs: number): LooseSpans {
    const rows = new Uint32Array(this.count)
    let found = 0
    for (let row = 0; row < this.count; row++)
      if (this.startNs[row]! >= fromNs && this.startNs[row]! < untilNs) rows[found++] = row
    return found === this.count ? this : this.those(rows.subarray(0, found))
  }

  /** The spans of some rows, in that order; their own from then on. */
  those(rows: Uint32Array): LooseSpans {
    const those = new LooseSpans()
    those.count = rows.length
    if (rows.length > those.startNs.length) those.#grow(rows.length)
    for (const name of COLUMNS) {
      const [own, from]: [Column, Column] = [those[name], this[name]]
      for (let i = 0; i < rows.length; i++) own[i] = from[rows[i]!]!
    }
    // Only what these have in common: names may be made per entity.
    const manners = new Int32Array(this.manners.length).fill(NOT_YET)
    for (let i = 0; i < rows.length; i++) {
      const manner = those.manner[i]!
      if (manners[manner] === NOT_YET) manners[manner] = those.mannerOf(this.manners[manner]!)
      those.manner[i] = manners[manner]!
    }
    if (this.events.size > 0)
      rows.forEach((row, i) => {
        const events = this.events.get(row)
        if (events !== undefined) those.events.set(i, events)
      })
    return those
  }

  /** Has them count from a time so much later, ns. */
  countFrom(ns: number): void {
    for (let row = 0; row < this.count; row++) this.startNs[row]! -= ns
    for (const events of this.events.values()) for (const event of events) event.atNs -= ns
  }

  /** Rows by their start, those that last longer first. */
  inOrder(): Uint32Array {
    const { startNs, durationNs, count } = this
    const rows = new Uint32Array(count)
    for (let row = 0; row < count; row++) rows[row] = row
    const compare = (a: number, b: number) => startNs[a]! - startNs[b]! || durationNs[b]! - durationNs[a]!
    // Most files are.
    let isInOrder = true
    for (let row = 1; row < count && isInOrder; row++) isInOrder = compare(row - 1, row) <= 0
    return isInOrder ? rows : Uint32Array.from(Array.from(rows).sort(compare))
  }

  #grow(room: number): void {
    this.startNs = grown(this.startNs, new Float64Array(room))
    this.durationNs = grown(this.durationNs, new Float64Array(room))
    this.effect = grown(this.effect, new Uint8Array(room))
    this.bytes = grown(this.bytes, new Float64Array(room))
    this.key = grown(this.key, new Uint32Array(room))
    this.manner = grown(this.manner, new Uint32Array(room))
    this.idHigh = grown(this.idHigh, new Uint32Array(room))
    this.idLow = grown(this.idLow, new Uint32Array(room))
    this.parentHigh = grown(this.parentHigh, new Uint32Array(room))
    this.parentLow = grown(this.parentLow, new Uint32Array(room))
  }

  /** Index of what many have in common. */
  mannerOf({ lane, name, group, kind, at = null }: Omit<Manner, 'at'> & { at?: Place | null }): number {
    const last = this.#lastOfName.get(name)
    if (last !== undefined) {
      const like = this.manners[last]!
      const isLike = like.lane === lane && like.group === group && like.kind === kind
      if (isLike && isSamePlace(like.at, at)) return last
    }
    const words = JSON.stringify([lane, name, group, kind, at])
    let index = this.#byWords.get(words)
    if (index === undefined) {
      index = this.manners.push({ lane, name, group, kind, at }) - 1
      this.#byWords.set(words, index)
    }
    this.#lastOfName.set(name, index)
    return index
  }
}

function grown<T extends Float64Array | Uint32Array | Uint8Array>(column: T, larger: T): T {
  larger.set(column)
  return larger
}

const isSamePlace = (one: Place | null, other: Place | null): boolean =>
  one === other || (one?.file === other?.file && one?.line === other?.line && one?.source === other?.source)

const SIXTEEN_DIGITS = 16
const FNV_PRIME = 0x01000193
const FNV_BASIS = 0x811c9dc5

/** 16 hexadecimal digits are the number that they are; of any other name it is a hash. */
function identify(name: string | undefined, high: Uint32Array, low: Uint32Array, row: number): void {
  if (name === undefined) {
    high[row] = low[row] = 0
    return
  }
  let [upper, lower, isNumber] = [0, 0, name.length === SIXTEEN_DIGITS]
  for (let i = 0; i < SIXTEEN_DIGITS && isNumber; i++) {
    const digit = digitOf(name.charCodeAt(i))
    isNumber = digit >= 0
    if (i < SIXTEEN_DIGITS / 2) upper = (upper << 4) | digit
    else lower = (lower << 4) | digit
  }
  if (!isNumber) {
    upper = FNV_BASIS
    lower = ~FNV_BASIS
    for (let i = 0; i < name.length; i++) {
      upper = Math.imul(upper ^ name.charCodeAt(i), FNV_PRIME)
      lower = Math.imul(lower ^ upper, FNV_PRIME) ^ (lower >>> 15)
    }
  }
  high[row] = upper
  low[row] = lower
}
