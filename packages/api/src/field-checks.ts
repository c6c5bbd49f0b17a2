/** Checks that several files of checks need. */
import { bad, finite, list, text, whole, type Fields } from '@lapsus/core/format'

export const MOST = Number.MAX_SAFE_INTEGER

export function oneOf(fields: Fields, field: string, allowed: readonly string[]): void {
  if (!allowed.includes(fields[field] as string))
    throw bad(field, `one of ${allowed.join(', ')}`, fields[field])
}

/** A text of any length, none included. */
export function freeText(fields: Fields, field: string): void {
  if (typeof fields[field] !== 'string') throw bad(field, 'a text', fields[field])
}

export const count = (fields: Fields, field: string): number => whole(fields, field, 0, MOST)

/** Moments and stretches of a take. */
export function moments(fields: Fields): void {
  for (const moment of list(fields, 'moments', MOST)) {
    text(moment, 'name')
    finite(moment, 'atNs')
    count(moment, 'frame')
  }
  for (const stretch of list(fields, 'stretches', MOST)) {
    count(stretch, 'firstFrame')
    text(stretch, 'cause')
  }
}
