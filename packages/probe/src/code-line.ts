/** Where in the code a call stands, as the runtime names it. */
import { LIMITS, type Place } from '@lapsus/core/format'
import { fieldOf, isAmount, safely, textOf } from './given.ts'

/** A line of code that runs: what a bundler or a compiler made of it is not undone yet. */
export interface CodeLine {
  /** Address or path of the script. */
  url: string
  /** Both from 1. */
  line: number
  column: number
}

/**
 * Finds out where lines of code come from, by their source maps.
 * @param tell called once with a place for each, or null; at once, or later
 */
export type PlaceReader = (lines: readonly CodeLine[], tell: (places: (Place | null)[]) => void) => void

/** The numbers of the lines of each script: each is read but once. */
export function byScript(lines: readonly CodeLine[]): Map<string, number[]> {
  const scripts = new Map<string, number[]>()
  lines.forEach(({ url }, i) => {
    const own = scripts.get(url)
    if (own === undefined) scripts.set(url, [i])
    else own.push(i)
  })
  return scripts
}

interface StackTelling {
  captureStackTrace?: (holder: object, below: unknown) => void
  stackTraceLimit?: number
}

/** The line that called `below`; null where the runtime does not tell. Takes some µs: not for every frame. */
export function callerOf(below: unknown): CodeLine | null {
  return safely(() => {
    const telling = Error as unknown as StackTelling
    if (telling.captureStackTrace === undefined) return null
    const holder: { stack?: unknown } = {}
    // A game may have set it to 0.
    const limit = telling.stackTraceLimit
    telling.stackTraceLimit = 1
    try {
      telling.captureStackTrace(holder, below)
    } finally {
      if (limit === undefined) delete telling.stackTraceLimit
      else telling.stackTraceLimit = limit
    }
    return typeof holder.stack === 'string' ? lineOf(holder.stack) : null
  }, null)
}

/** The first line of a stack, `at update (file:///game/moths.js:12:5)`, or without the function. */
export function lineOf(stack: string): CodeLine | null {
  const found = /^ *at (?:.* \()?((?:[a-z-]+:\/\/|\/|[A-Za-z]:\\).+):(\d+):(\d+)\)?$/m.exec(stack)
  return found === null ? null : { url: found[1]!, line: Number(found[2]), column: Number(found[3]) }
}

/** What a game gave as a place; null where it is none that a take can hold. */
export function placeGiven(given: unknown): Place | null {
  const file = textOf(fieldOf(given, 'file') ?? '')
  const line = fieldOf(given, 'line')
  const fits = file !== '' && file.length <= LIMITS.fileLength
  return fits && isAmount(line) && Number.isInteger(line) && line >= 1 && line <= 0xffff_ffff
    ? { file, line, source: null }
    : null
}
