/** What a game gives, read so that nothing it is can throw: fields by fields, each of a known type or not there. */
import { LIMITS } from '@lapsus/core/format'

/** A text from anything. */
export function textOf(value: unknown): string {
  if (typeof value === 'string') return value
  try {
    return String(value)
  } catch {
    return ''
  }
}

/** A name that a take can hold. */
export const shortName = (name: unknown): string => textOf(name).slice(0, LIMITS.nameLength) || '(no name)'

/** A field of something that need not be an object; undefined where it cannot be read. */
export function fieldOf(holder: unknown, field: string): unknown {
  if (holder === null || (typeof holder !== 'object' && typeof holder !== 'function')) return undefined
  try {
    return (holder as Record<string, unknown>)[field]
  } catch {
    return undefined
  }
}

export function numberField(holder: unknown, field: string): number | undefined {
  const value = fieldOf(holder, field)
  return isAmount(value) ? value : undefined
}

/** The elements of an array; none of anything else. */
export function listField(holder: unknown, field: string): unknown[] {
  const value = fieldOf(holder, field)
  try {
    return Array.isArray(value) ? Array.from(value) : []
  } catch {
    return []
  }
}

/** The names of what an object holds. */
export function namesOf(holder: unknown): string[] {
  if (holder === null || typeof holder !== 'object') return []
  try {
    return Object.keys(holder)
  } catch {
    return []
  }
}

/** A number from 0 that a take can hold. */
export const isAmount = (value: unknown): value is number =>
  typeof value === 'number' && value >= 0 && value <= LIMITS.largestWhole

/** Whether a handle names one of so many things. */
export const isHandle = (id: unknown, count: number): id is number =>
  typeof id === 'number' && id >= 0 && id < count && Number.isInteger(id)

/**
 * Runs what the game, or somebody else, has given; what it throws stays here, also where it throws later: a promise
 * that nobody hears of would end a process.
 */
export function safely<T>(work: () => T, otherwise: T): T {
  try {
    const result = work()
    heard(result)
    return result
  } catch {
    return otherwise
  }
}

/** What a promise fails with, if it is one, is told here, or nobody. */
export function heard(result: unknown, tell: (error: unknown) => void = () => {}): void {
  if (result instanceof Promise) result.catch(tell)
}
