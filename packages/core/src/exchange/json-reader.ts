/**
 * Reads JSON piece by piece where it is written as usual: objects of all that is in a large file cost several times what
 * is made of them. Whoever meets something unusual goes back and asks for the whole value, which the platform reads.
 */

import { nearestQuotient } from './decimal.ts'
import { digitOf } from './hexadecimal.ts'

/** What this does not read, though it may be JSON. Thrown often, so that it is made once. */
export const UNUSUAL = new Error('not as usual')

const QUOTE = 0x22
const COMMA = 0x2c
const COLON = 0x3a
const POINT = 0x2e
const BACKSLASH = 0x5c
const SPACE = 0x20
const ZERO = 0x30
const NINE = 0x39
const BRACE = 0x7b
const BRACKET = 0x5b
const END_BRACE = 0x7d
const END_BRACKET = 0x5d

const encoder = new TextEncoder()
/** A mark of byte order within a text is a letter like others. */
const decoder = new TextDecoder('utf-8', { ignoreBOM: true })
/** A literal to be looked for. */
export const literal = (text: string): Uint8Array => encoder.encode(text)
const NULL = literal('null')

/** A stretch of the text. */
export interface Stretch {
  from: number
  length: number
}

/** Words kept so as not to make them again; a power of two. */
const KEPT_WORDS = 4_096
/** Whole numbers of so many digits, and powers of ten up to the second, are exact: so is one divided by the other. */
const EXACT_DIGITS = 15
const EXACT_POWER = 22
const POWERS = Array.from({ length: EXACT_POWER + 1 }, (_, power) => Number(`1e${power}`))
/** Beyond the exact ones there may be nine. */
const MOST_DIGITS = 24
/** Times of 2001 to 2286 have so many. */
const TIME_DIGITS = 19
/** Going back once in so many bytes costs little; more often, the platform had better read it all. */
const BYTES_A_TIME = 64
const MOST_BACK = 1_000

/** Of an object, or of a list. */
type Bracket = '{' | '['
const endOf = (bracket: Bracket): number => (bracket === '{' ? END_BRACE : END_BRACKET)

export class JsonReader {
  /** Of the number read last: all digits but the last nine, and these; or the two halves of a hexadecimal one. */
  high = 0
  low = 0
  readonly #bytes: Uint8Array
  readonly #view: DataView
  readonly #from: number
  readonly #end: number
  /** Places and texts of words by a hash of them; length -1 where there is none. */
  readonly #wordFrom = new Int32Array(KEPT_WORDS)
  readonly #wordLength = new Int32Array(KEPT_WORDS).fill(-1)
  readonly #words = new Array<string>(KEPT_WORDS).fill('')
  /** Place and value of the upper half of the hexadecimal number read last; -1 before there is one. */
  #hexFrom = -1
  #hexHigh = 0
  /** The same of the last digits. */
  #highFrom = 0
  #highLength = -1
  #wholeHigh = 0
  /** Place of the next byte. */
  #at: number
  /** Nothing has come yet in what was opened last. */
  #isFirst = true
  #timesBack = 0

  /** Of UTF-8, or a part of it. */
  constructor(bytes: Uint8Array, from = 0, end = bytes.length) {
    this.#bytes = bytes
    this.#view = new DataView(bytes.buffer, bytes.byteOffset, bytes.length)
    this.#at = this.#from = from
    this.#end = end
  }

  get at(): number {
    return this.#at
  }

  /** Goes back to where an element, or the value of a key, began. @throws UNUSUAL where that has become the rule */
  back(at: number): void {
    if (++this.#timesBack > MOST_BACK && this.#timesBack * BYTES_A_TIME > at - this.#from) throw UNUSUAL
    this.#at = at
    this.#isFirst = false
  }

  /** The same where something was only compared: that costs little. */
  again(at: number): void {
    this.#at = at
  }

  /** What has been passed since then. */
  since(from: number): Stretch {
    return { from, length: this.#at - from }
  }

  /** Whether a list comes next. */
  get isList(): boolean {
    this.#space()
    return this.#next === BRACKET
  }

  /** Steps into an object or a list. @throws UNUSUAL where there is none */
  open(bracket: Bracket): void {
    this.#space()
    this.#pass(bracket === '{' ? BRACE : BRACKET)
    this.#isFirst = true
  }

  /** Whether something follows in what is open; if not, steps out of it. */
  more(bracket: Bracket): boolean {
    this.#space()
    const wasFirst = this.#isFirst
    this.#isFirst = false
    if (this.#next === endOf(bracket)) {
      this.#at++
      return false
    }
    if (wasFirst) return true
    this.#pass(COMMA)
    this.#space()
    if (this.#next === endOf(bracket)) throw UNUSUAL
    return true
  }

  /** A key, and the colon behind it. */
  key(): string {
    const key = this.word()
    this.#space()
    this.#pass(COLON)
    this.#space()
    return key
  }

  /** A text; those that come again are made once. */
  word(): string {
    this.#pass(QUOTE)
    return this.restOfWord()
  }

  /** The same, behind its first quote. */
  restOfWord(): string {
    const bytes = this.#bytes
    const from = this.#at
    let hash = 0
    let at = from
    for (; at < this.#end; at++) {
      const byte = bytes[at]!
      if (byte === QUOTE) break
      if (byte === BACKSLASH || byte < SPACE) throw UNUSUAL
      hash = Math.imul(hash ^ byte, 0x01000193)
    }
    if (at >= this.#end) throw UNUSUAL
    this.#at = at + 1
    const length = at - from
    const place = (hash ^ (hash >>> 16)) & (KEPT_WORDS - 1)
    if (this.#wordLength[place] === length && this.#isAlike(this.#wordFrom[place]!, from, length))
      return this.#words[place]!
    this.#wordFrom[place] = from
    this.#wordLength[place] = length
    return (this.#words[place] = this.#text(from, at))
  }

  /** A text of 16 hexadecimal digits, a number of 64 bits in two halves, or of none, 0: see `high` and `low`. */
  hexadecimal(): void {
    this.#pass(QUOTE)
    const from = this.#at
    this.high = this.low = 0
    if (this.#next === QUOTE) {
      this.#at++
      return
    }
    if (from + 16 >= this.#end || this.#bytes[from + 16] !== QUOTE) throw UNUSUAL
    // Names that are counted begin alike.
    if (this.#hexFrom < 0 || !this.#isAlike(this.#hexFrom, from, 8)) this.#hexHigh = this.#eightDigits(from)
    this.#hexFrom = from
    this.high = this.#hexHigh
    this.low = this.#eightDigits(from + 8)
    this.#at = from + 17
  }

  #eightDigits(from: number): number {
    let value = 0
    for (let i = from; i < from + 8; i++) {
      const digit = digitOf(this.#bytes[i]!)
      if (digit < 0) throw UNUSUAL
      value = (value << 4) | digit
    }
    return value >>> 0
  }

  /** A text of 1 to 20 digits, a whole number of 64 bits: see `high` and `low`. */
  digits(): void {
    this.#pass(QUOTE)
    const bytes = this.#bytes
    const from = this.#at
    const at = bytes[from + TIME_DIGITS] === QUOTE ? from + TIME_DIGITS : this.#endOfDigits(from)
    const count = at - from
    if (count < 1 || count > 20 || at >= this.#end || bytes[at] !== QUOTE) throw UNUSUAL
    this.#at = at + 1
    const cut = Math.max(from, at - 9)
    // Times begin alike for a second.
    const isHighAgain = cut - from === this.#highLength && this.#isAlike(this.#highFrom, from, cut - from)
    if (!isHighAgain) this.#wholeHigh = this.#wholeNumber(from, cut)
    this.#highFrom = from
    this.#highLength = cut - from
    this.high = this.#wholeHigh
    this.low = this.#wholeNumber(cut, at)
  }

  /** A number that is not negative, without an exponent. */
  number(): number {
    const bytes = this.#bytes
    const from = this.#at
    let head = 0
    let tail = 0
    let digits = 0
    let point = -1
    let at = from
    for (; at < this.#end; at++) {
      const byte = bytes[at]!
      if (byte >= ZERO && byte <= NINE) {
        if (digits++ < EXACT_DIGITS) head = head * 10 + byte - ZERO
        else tail = tail * 10 + byte - ZERO
      } else if (byte === POINT && point < 0) point = at
      else break
    }
    const whole = (point < 0 ? at : point) - from
    const decimals = digits - whole
    if (whole === 0 || (whole > 1 && bytes[from] === ZERO) || (point >= 0 && decimals === 0)) throw UNUSUAL
    this.#at = at
    if (decimals > EXACT_POWER || digits > MOST_DIGITS) return Number(this.#text(from, at))
    const scale = POWERS[decimals]!
    if (digits <= EXACT_DIGITS) return head / scale
    const nearest = nearestQuotient(head, POWERS[digits - EXACT_DIGITS]!, tail, scale)
    return Number.isNaN(nearest) ? Number(this.#text(from, at)) : nearest
  }

  /** Whether exactly this comes next; passes it if so. */
  passes(bytes: Uint8Array): boolean {
    const { length } = bytes
    if (this.#at + length > this.#end) return false
    for (let i = 0; i < length; i++) if (this.#bytes[this.#at + i] !== bytes[i]) return false
    this.#at += length
    return true
  }

  /** Whether the same comes next as stood there; passes it if so. */
  passesAgain({ from, length }: Stretch): boolean {
    if (this.#at + length > this.#end || !this.#isAlike(from, this.#at, length)) return false
    this.#at += length
    return true
  }

  /** The same of a key with its value, and with nothing behind it that might belong to the value. */
  passesFieldAgain(field: Stretch): boolean {
    const behind = this.#bytes[this.#at + field.length]
    return (behind === COMMA || behind === END_BRACE) && this.passesAgain(field)
  }

  /** Whatever comes next, read by the platform. @throws SyntaxError where that is no JSON */
  value(): unknown {
    const from = this.#at
    this.#passValue()
    return JSON.parse(this.#text(from, this.#at)) as unknown
  }

  /** The same, of no interest to anybody. */
  skip(): void {
    const from = this.#at
    if (this.#next === QUOTE) {
      this.#passText()
      return
    }
    if (this.passes(NULL)) return
    const at = this.#endOfDigits(from)
    const behind = this.#bytes[at]
    const isWhole = at > from && (at === from + 1 || this.#next !== ZERO)
    if (isWhole && (behind === COMMA || behind === END_BRACE || behind === END_BRACKET)) this.#at = at
    else this.value()
  }

  /** Nothing but white space is left. */
  get isAtEnd(): boolean {
    this.#space()
    return this.#at === this.#end
  }

  /** Undefined at the end of the bytes; what is behind the part of them is of no harm, since nobody passes it. */
  get #next(): number | undefined {
    return this.#bytes[this.#at]
  }

  #text(from: number, to: number): string {
    return decoder.decode(this.#bytes.subarray(from, to))
  }

  /**
   * Eight bytes at a time, as doubles: most of a file is passed so. Those that are no numbers are like nothing, and are
   * read; none of text is a zero.
   */
  #isAlike(one: number, other: number, length: number): boolean {
    const view = this.#view
    const last = length - 8
    for (let i = 0; i <= last; i += 8)
      if (view.getFloat64(one + i, true) !== view.getFloat64(other + i, true)) return false
    if (last >= 0) return view.getFloat64(one + last, true) === view.getFloat64(other + last, true)
    for (let i = 0; i < length; i++) if (view.getInt8(one + i) !== view.getInt8(other + i)) return false
    return true
  }

  #endOfDigits(from: number): number {
    let at = from
    while (at < this.#end && this.#bytes[at]! >= ZERO && this.#bytes[at]! <= NINE) at++
    return at
  }

  #wholeNumber(from: number, to: number): number {
    let value = 0
    for (let i = from; i < to; i++) {
      const digit = this.#bytes[i]! - ZERO
      if (digit < 0 || digit > 9) throw UNUSUAL
      value = value * 10 + digit
    }
    return value
  }

  #pass(byte: number): void {
    if (this.#next !== byte) throw UNUSUAL
    this.#at++
  }

  #space(): void {
    const bytes = this.#bytes
    for (; this.#at < this.#end; this.#at++) {
      const byte = bytes[this.#at]
      if (byte !== SPACE && byte !== 0x0a && byte !== 0x0d && byte !== 0x09) return
    }
  }

  /** A text without escapes. */
  #passText(): void {
    this.#pass(QUOTE)
    const bytes = this.#bytes
    let at = this.#at
    for (; at < this.#end; at++) {
      const byte = bytes[at]!
      if (byte === QUOTE) break
      if (byte === BACKSLASH || byte < SPACE) throw UNUSUAL
    }
    if (at >= this.#end) throw UNUSUAL
    this.#at = at + 1
  }

  /** To the end of a value, without looking whether it is right. */
  #passValue(): void {
    const bytes = this.#bytes
    let depth = 0
    let isText = false
    for (; this.#at < this.#end; this.#at++) {
      const byte = bytes[this.#at]
      if (isText) {
        if (byte === BACKSLASH) this.#at++
        else if (byte === QUOTE) isText = false
      } else if (byte === QUOTE) isText = true
      else if (byte === BRACE || byte === BRACKET) depth++
      else if (byte === END_BRACE || byte === END_BRACKET) {
        // What closes here was open around the value, which so has ended.
        if (--depth < 0) return
        if (depth === 0) {
          this.#at++
          return
        }
      } else if (byte === COMMA && depth === 0) return
    }
    // A backslash at the very end.
    this.#at = this.#end
  }
}
