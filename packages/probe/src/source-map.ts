/** Reads source maps (ECMA-426): which line of which source a place in a script was made from. */
import { fieldOf, textOf } from './given.ts'

export interface SourceMap {
  /** Addresses of the sources, relative to the map or the script. */
  sources: string[]
  mappings: string
}

/** From 1. */
interface At {
  line: number
  column: number
}
interface Original {
  source: string
  line: number
}

/** Address of the map that the last lines of a script name; null where they name none. */
export function mapAddressOf(script: string): string | null {
  // Nothing else that long stands behind it; an inline map may be all of the script's end.
  const at = script.lastIndexOf('\n//# sourceMappingURL=')
  return at < 0 ? null : /\S+/.exec(script.slice(at + '\n//# sourceMappingURL='.length))?.[0] || null
}

/** A map from its JSON; null for anything else, also for one that is made of others. */
export function readSourceMap(json: string): SourceMap | null {
  const map: unknown = JSON.parse(json.replace(/^\)\]\}'[^\n]*\n/, ''))
  const { sources, mappings } = { sources: fieldOf(map, 'sources'), mappings: fieldOf(map, 'mappings') }
  if (!Array.isArray(sources) || typeof mappings !== 'string') return null
  const root = textOf(fieldOf(map, 'sourceRoot') ?? '')
  const below = root === '' || root.endsWith('/') ? root : `${root}/`
  return { sources: sources.map((source) => (typeof source === 'string' ? below + source : '')), mappings }
}

/** The JSON of a map that stands in its address; null where it is somewhere else. */
export function inlineMap(address: string): string | null {
  const found = /^data:application\/json[^,]*?(;base64)?,/.exec(address)
  if (found === null) return null
  const data = address.slice(found[0].length)
  if (found[1] === undefined) return decodeURIComponent(data)
  return new TextDecoder().decode(Uint8Array.from(atob(data), (letter) => letter.charCodeAt(0)))
}

const DIGITS = 'ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/'
const CONTINUES = 32

/**
 * What places of a script were made from: of each the last mapping at or before it on its line; null where there is
 * none. One pass, since a large map has millions of mappings.
 */
export function originalsOf({ sources, mappings }: SourceMap, wanted: readonly At[]): (Original | null)[] {
  const found: (Original | null)[] = wanted.map(() => null)
  const byLine = new Map<number, number[]>()
  wanted.forEach(({ line }, i) => byLine.set(line, [...(byLine.get(line) ?? []), i]))
  let [source, sourceLine] = [0, 0]
  let line = 1
  let here = byLine.get(line)
  let column = 0
  const fields = [0, 0, 0, 0, 0]
  for (let at = 0; at < mappings.length; at++) {
    const letter = mappings[at]!
    if (letter === ';') {
      here = byLine.get(++line)
      column = 0
      continue
    }
    if (letter === ',') continue
    let count = 0
    // The fields of one mapping, each a number in pieces of five bits, the sign in the lowest of the first.
    for (; at < mappings.length && mappings[at] !== ',' && mappings[at] !== ';'; at++) {
      let [value, shift, digit] = [0, 1, CONTINUES]
      for (; digit >= CONTINUES && at < mappings.length; at++) {
        digit = DIGITS.indexOf(mappings[at]!)
        if (digit < 0) return found
        value += (digit % CONTINUES) * shift
        shift *= CONTINUES
      }
      at--
      fields[count++] = value % 2 === 1 ? -(value - 1) / 2 : value / 2
    }
    at--
    column += fields[0]!
    if (count >= 4) {
      source += fields[1]!
      sourceLine += fields[2]!
    }
    if (here === undefined) continue
    for (const i of here) {
      if (column >= wanted[i]!.column) continue
      const name = sources[source]
      found[i] = count >= 4 && name !== undefined ? { source: name, line: sourceLine + 1 } : null
    }
  }
  return found
}
