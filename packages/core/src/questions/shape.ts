/**
 * What a question asks for and tells, as a table: each field with its meaning and unit. Types, the check of what came
 * over the wire, and the pages of docs are made from it, so that they cannot disagree.
 */
import { asFields, bad, FormatError, type Fields } from '../format/index.ts'

export interface Field<T = unknown> {
  /** As the docs call it: `whole number`. */
  type: string
  about: string
  unit: string
  /** May be left out. */
  isOptional: boolean
  /** Fields inside it, if it has any. */
  inner: Shape | null
  /** A column: the answer travels as CBOR. */
  isColumn: boolean
  /** @throws FormatError naming the field and what was expected */
  read(value: unknown, name: string): T
}
export type Shape = Readonly<Record<string, Field>>

type OptionalOf<S extends Shape> = { [K in keyof S]: undefined extends ValueOf<S[K]> ? K : never }[keyof S]
export type ValueOf<F> = F extends Field<infer T> ? T : never
/** What a shape describes. */
export type Told<S extends Shape> = { [K in Exclude<keyof S, OptionalOf<S>>]: ValueOf<S[K]> } & {
  [K in OptionalOf<S>]?: ValueOf<S[K]>
}

type Plain = Partial<Pick<Field, 'unit' | 'inner' | 'isColumn' | 'isOptional'>>

const field = <T>(type: string, about: string, read: Field<T>['read'], more: Plain = {}): Field<T> => ({
  ...{ type, about, read, unit: '', isOptional: false, inner: null, isColumn: false },
  ...more,
})

/** A whole number from `least` to the largest that is exact. */
export const whole = (about: string, unit = '', least = 0): Field<number> =>
  field(
    'whole number',
    about,
    (value, name) => {
      if (!Number.isSafeInteger(value) || (value as number) < least)
        throw bad(name, `a whole number from ${least} on`, value)
      return value as number
    },
    { unit },
  )

/** A finite number. */
export const number = (about: string, unit = ''): Field<number> =>
  field(
    'number',
    about,
    (value, name) => {
      if (!Number.isFinite(value)) throw bad(name, 'a finite number', value)
      return value as number
    },
    { unit },
  )

/** Any number, also one that is none. In JSON, which has no word for that, it is null. */
export const anyNumber = (about: string, unit = ''): Field<number> =>
  field(
    'number, or null where there is none',
    about,
    (value, name) => {
      if (value === null) return NaN
      if (typeof value !== 'number') throw bad(name, 'a number', value)
      return value
    },
    { unit },
  )

export const text = (about: string): Field<string> =>
  field('text', about, (value, name) => {
    if (typeof value !== 'string') throw bad(name, 'a text', value)
    return value
  })

/** What somebody set: a number, or the name of a choice. */
export const numberOrText = (about: string): Field<number | string> =>
  field('number or text', about, (value, name) => {
    if (!Number.isFinite(value) && typeof value !== 'string') throw bad(name, 'a number or a text', value)
    return value as number | string
  })

export const truth = (about: string): Field<boolean> =>
  field('true or false', about, (value, name) => {
    if (typeof value !== 'boolean') throw bad(name, 'true or false', value)
    return value
  })

export const oneOf = <T extends string>(allowed: readonly T[], about: string): Field<T> =>
  field(allowed.map((one) => `\`${one}\``).join(', '), about, (value, name) => {
    const found = allowed.find((one) => one === value)
    if (found === undefined) throw bad(name, `one of ${allowed.join(', ')}`, value)
    return found
  })

export const orNone = <T>(of: Field<T>): Field<T | null> => ({
  ...of,
  type: `${of.type}, or null`,
  read: (value, name) => (value === null || value === undefined ? null : of.read(value, name)),
})

export const optional = <T>(of: Field<T>): Field<T | undefined> => ({
  ...of,
  isOptional: true,
  read: (value, name) => (value === undefined ? undefined : of.read(value, name)),
})

export const object = <S extends Shape>(inner: S, about: string): Field<Told<S>> =>
  field('object', about, (value, name) => readShape(inner, asFields(value, name)), {
    inner,
    isColumn: hasColumns(inner),
  })

export const list = <T>(of: Field<T>, about: string): Field<T[]> =>
  field(
    of.inner === null ? `array of ${of.type}` : 'array of objects',
    about,
    (value, name) => {
      if (!Array.isArray(value)) throw bad(name, 'an array', value)
      return value.map((item) => of.read(item, name))
    },
    { unit: of.unit, inner: of.inner, isColumn: of.isColumn },
  )

/** Objects of one shape, one after the other. */
export const rows = <S extends Shape>(inner: S, about: string): Field<Told<S>[]> =>
  list(object(inner, ''), about)

/** Values by names that are not known beforehand. */
export const byName = <T>(of: Field<T>, about: string): Field<Record<string, T>> =>
  field(
    'object by name',
    about,
    (value, name) =>
      Object.fromEntries(
        Object.entries(asFields(value, name)).map(([key, item]) => [key, of.read(item, key)]),
      ),
    { unit: of.unit },
  )

/** A typed array; read as one type, whatever width it travelled in. */
function typed<T extends ArrayLike<number>>(
  make: (values: ArrayLike<number>) => T,
  about: string,
  unit: string,
): Field<T> {
  return field(
    'column',
    about,
    (value, name) => {
      if (!ArrayBuffer.isView(value) || !('length' in value)) throw bad(name, 'a typed array', value)
      return make(value as unknown as ArrayLike<number>)
    },
    { unit, isColumn: true },
  )
}
export const column = (about: string, unit = '') =>
  typed<Float64Array>((values) => new Float64Array(values), about, unit)
export const wholeColumn = (about: string, unit = '') =>
  typed<Uint32Array>((values) => new Uint32Array(values), about, unit)
export const byteColumn = (about: string, unit = '') =>
  typed<Uint8Array>((values) => new Uint8Array(values), about, unit)

export const hasColumns = (shape: Shape): boolean => Object.values(shape).some(({ isColumn }) => isColumn)

/** The fields of a shape, checked; others are left out. @throws FormatError */
export function readShape<S extends Shape>(shape: S, fields: Fields): Told<S> {
  const told: Record<string, unknown> = {}
  for (const [name, { read, isOptional }] of Object.entries(shape)) {
    const value = read(fields[name], name)
    if (value !== undefined || !isOptional) told[name] = value
  }
  return told as Told<S>
}

/** @throws FormatError unless all columns are as long as the first */
export function sameLength(name: string, ...columns: (ArrayLike<number> | null)[]): void {
  const [first, ...others] = columns.filter((one) => one !== null)
  for (const { length } of others) {
    if (length !== first!.length)
      throw new FormatError('bad-field', `"${name}" to have ${first!.length} elements, got ${length}`)
  }
}
