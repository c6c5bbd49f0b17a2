/** Checked access to the fields of a decoded record. Every failure names the field and what it was. */
import { FormatError } from './errors.ts'
import { LIMITS } from './limits.ts'
import { newColumn, type ColumnRule } from './tables.ts'

export type Fields = Record<string, unknown>

/** A value as a message may show it, whatever it is. */
export function shown(value: unknown): string {
  if (value === undefined) return 'nothing'
  if (typeof value === 'string') return JSON.stringify(value.slice(0, 60))
  if (typeof value === 'number' || typeof value === 'boolean' || value === null) return String(value)
  return Array.isArray(value)
    ? 'an array'
    : ArrayBuffer.isView(value)
      ? 'a typed array'
      : `a value of type ${typeof value}`
}

export function bad(field: string, expected: string, got: unknown): FormatError {
  return new FormatError('bad-field', `"${field}" to be ${expected}, got ${shown(got)}`)
}

export function asFields(value: unknown, field: string): Fields {
  if (value === null || typeof value !== 'object' || Array.isArray(value) || ArrayBuffer.isView(value)) {
    throw bad(field, 'a map', value)
  }
  return value as Fields
}

/** A whole number from `least` to `most`. */
export function whole(fields: Fields, field: string, least: number, most: number, absent?: number): number {
  const value = fields[field] ?? absent
  if (typeof value !== 'number' || !Number.isInteger(value) || value < least || value > most) {
    throw bad(field, `a whole number from ${least} to ${most}`, value)
  }
  return value
}

/** A finite number, greater than `above` if given. */
export function finite(fields: Fields, field: string, above = -Infinity): number {
  const value = fields[field]
  if (typeof value !== 'number' || !Number.isFinite(value) || value <= above) {
    throw bad(field, above === -Infinity ? 'a finite number' : `a finite number above ${above}`, value)
  }
  return value
}

/** A time, ns since the take's start. */
export function time(fields: Fields, field: string): number {
  const value = finite(fields, field)
  if (value < 0 || value > LIMITS.largestWhole)
    throw bad(field, `a number from 0 to ${LIMITS.largestWhole}`, value)
  return value
}

export function text(
  fields: Fields,
  field: string,
  absent?: string,
  most: number = LIMITS.nameLength,
): string {
  const value = fields[field] ?? absent
  if (typeof value !== 'string' || (absent === undefined && value === '') || value.length > most)
    throw bad(field, `a text of ${absent === undefined ? 1 : 0} to ${most} characters`, value)
  return value
}

/** An array of texts, empty when the field is absent. */
export function texts(fields: Fields, field: string, most: number): string[] {
  const value = fields[field] ?? []
  if (!Array.isArray(value) || value.length > most)
    throw bad(field, `an array of at most ${most} texts`, value)
  return value.map((_, i) => text(value as unknown as Fields, String(i)))
}

/** An array of maps, empty when the field is absent. */
export function list(fields: Fields, field: string, most: number): Fields[] {
  const value = fields[field] ?? []
  if (!Array.isArray(value)) throw bad(field, 'an array', value)
  if (value.length > most)
    throw new FormatError('too-large', `"${field}" has ${value.length} entries, at most ${most}`)
  return value.map((entry, i) => asFields(entry, `${field}[${i}]`))
}

type Numbers = ArrayLike<number>

/** A column: an RFC 8746 typed array or a plain array of numbers, of `length` elements if given. */
export function numbers(fields: Fields, field: string, length?: number): Numbers {
  const value = fields[field]
  if (!Array.isArray(value) && !(ArrayBuffer.isView(value) && 'length' in value)) {
    throw bad(field, 'a typed array or an array of numbers', value)
  }
  const column = value as unknown as Numbers
  if (Array.isArray(value)) {
    // Typed arrays would make numbers of texts and of null.
    const wrong = value.findIndex((item) => typeof item !== 'number')
    if (wrong >= 0) throw bad(`${field}[${wrong}]`, 'a number', value[wrong])
  }
  if (length !== undefined && column.length !== length) {
    throw new FormatError('bad-field', `"${field}" to have ${length} elements, got ${column.length}`)
  }
  return column
}

/** A column of finite numbers of any sign. */
export function finiteColumn(fields: Fields, field: string, length?: number): Float64Array {
  return rangedColumn(fields, field, length, -Number.MAX_VALUE, Number.MAX_VALUE, 'a finite number')
}

/** A column of times, durations (ns) or bytes; `least` is the smallest allowed. */
export function amountColumn(fields: Fields, field: string, length?: number, least = 0): Float64Array {
  const most = LIMITS.largestWhole
  return rangedColumn(fields, field, length, least, most, `a finite number from ${least} to ${most}`)
}

function rangedColumn(
  fields: Fields,
  field: string,
  length: number | undefined,
  least: number,
  most: number,
  expected: string,
): Float64Array {
  const source = numbers(fields, field, length)
  if (isUnsigned(source)) return new Float64Array(source)
  // What was decoded as such a column is nobody else's.
  const column = source instanceof Float64Array ? source : new Float64Array(source)
  for (let i = 0; i < column.length; i++) {
    // Written so that NaN, which is also what a text becomes, fails too.
    if (column[i]! >= least && column[i]! <= most) continue
    throw bad(`${field}[${i}]`, expected, source[i])
  }
  return column
}

/** A column of whole numbers from 0 to `most`. */
export function wholeColumn(fields: Fields, field: string, most: number, length?: number): Uint32Array {
  const source = numbers(fields, field, length)
  const column = source instanceof Uint32Array ? source : new Uint32Array(source)
  const sure = isUnsigned(source)
  for (let i = 0; i < column.length; i++) {
    // A number that is negative, not whole or too large is not what the column made of it.
    if (column[i]! <= most && (sure || column[i] === source[i])) continue
    throw bad(`${field}[${i}]`, `a whole number from 0 to ${most}`, source[i])
  }
  return column
}

const MOST_BYTE = 0xff

/** A column of whole numbers that fit into a byte. */
export function byteColumn(fields: Fields, field: string, length?: number): Uint8Array {
  const source = numbers(fields, field, length)
  return source instanceof Uint8Array ? source : new Uint8Array(wholeColumn(fields, field, MOST_BYTE, length))
}

const isUnsigned = (column: Numbers): boolean =>
  column instanceof Uint8Array || column instanceof Uint16Array || column instanceof Uint32Array

/** A column as its rule says. Left out it is `empty` everywhere, where it may be left out. */
export function ruledColumn(
  fields: Fields,
  rule: ColumnRule,
  length?: number,
): Uint8Array | Uint32Array | Float64Array {
  const { wire, holds, least, most, empty } = rule
  if (fields[wire] === undefined && empty !== null && length !== undefined) return newColumn(rule, length)
  if (holds === 'number') return finiteColumn(fields, wire, length)
  if (holds === 'amount') return amountColumn(fields, wire, length, least)
  const whole = wholeColumn(fields, wire, most, length)
  return holds === 'byte' ? new Uint8Array(whole) : whole
}
