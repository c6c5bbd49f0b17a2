/**
 * Everything that can be wrong with a take, in one table. Each message says what was expected;
 * where it happened (record and byte offset) is added by FormatError.
 */
const MESSAGES = {
  'not-a-take': 'expected a take, whose first record is {record: "take", lapsus: 1, …}: {detail}',
  'other-version': 'expected format version 1: {detail}',
  'not-cbor': 'expected well-formed CBOR with definite lengths: {detail}',
  'too-large': 'expected no more than the limits of the format: {detail}',
  'bad-field': 'expected {detail}',
  'out-of-sequence': 'expected the record that follows the last one: {detail}',
  'after-end': 'expected nothing after the record "end" but another take: {detail}',
} as const

export type FormatErrorCode = keyof typeof MESSAGES

/** Where in a stream or file an error is. */
export interface FormatErrorPlace {
  /** Index of the record, from 0 (the first record is the take's own). */
  record: number
  /** Bytes from the start of the stream to the start of that record. */
  offset: number
}

/** A take that breaks the format. What came before the named record is good. */
export class FormatError extends Error {
  override readonly name = 'FormatError'
  place: FormatErrorPlace | null = null
  readonly code: FormatErrorCode
  readonly reason: string

  constructor(code: FormatErrorCode, detail: string) {
    super()
    this.code = code
    this.reason = MESSAGES[code].replace('{detail}', () => detail)
    this.message = this.reason
  }

  /** Adds the place, once: the innermost caller that knows it wins. */
  at(place: FormatErrorPlace): this {
    this.place ??= place
    this.message = `record ${this.place.record} at byte ${this.place.offset}: ${this.reason}`
    return this
  }
}

/** The error, with the place added if it is about a take's format: for `throw`. */
export function withPlace(error: unknown, place: FormatErrorPlace): unknown {
  return error instanceof FormatError ? error.at(place) : error
}

/** Runs `work`; a FormatError thrown inside learns its place. */
export function locate<T>(place: FormatErrorPlace, work: () => T): T {
  try {
    return work()
  } catch (error) {
    throw withPlace(error, place)
  }
}
