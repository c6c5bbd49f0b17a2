/** Checks that both files of checks need. */
import { bad, type Fields } from '@lapsus/core/format'

export const MOST = Number.MAX_SAFE_INTEGER

export function oneOf(fields: Fields, field: string, allowed: readonly string[]): void {
  if (!allowed.includes(fields[field] as string))
    throw bad(field, `one of ${allowed.join(', ')}`, fields[field])
}

/** A text of any length, none included. */
export function freeText(fields: Fields, field: string): void {
  if (typeof fields[field] !== 'string') throw bad(field, 'a text', fields[field])
}
