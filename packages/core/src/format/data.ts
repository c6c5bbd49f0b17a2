import { LIMITS } from './limits.ts'

export type Scalar = string | number | boolean

const utf8 = new TextEncoder()

/**
 * What of named values a moment's data, or the conditions under `more`, can hold: texts, finite numbers and truth
 * values, in their order, as long as their JSON keeps within LIMITS.dataBytes. Reads each value once; what cannot
 * even be read is left out too.
 */
export function fittingData(values: object): { data: Record<string, Scalar>; leftOut: number } {
  const data: Record<string, Scalar> = {}
  let bytes = 2
  let leftOut = 0
  for (const name of namesOf(values)) {
    const value = scalarOf(values, name)
    const more = value === null ? Infinity : jsonBytes(name) + jsonBytes(value) + 2
    if (bytes + more > LIMITS.dataBytes) {
      leftOut++
      continue
    }
    bytes += more
    Object.defineProperty(data, name, { value, enumerable: true, configurable: true, writable: true })
  }
  return { data, leftOut }
}

function namesOf(values: object): string[] {
  try {
    return Object.keys(values)
  } catch {
    return []
  }
}

function scalarOf(values: object, name: string): Scalar | null {
  try {
    const value = (values as Record<string, unknown>)[name]
    if (typeof value === 'string') return value.length > LIMITS.dataBytes ? null : value
    return typeof value === 'boolean' || (typeof value === 'number' && Number.isFinite(value)) ? value : null
  } catch {
    return null
  }
}

const jsonBytes = (value: Scalar): number => utf8.encode(JSON.stringify(value)).length
