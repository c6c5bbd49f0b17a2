/** Where lines of code come from, in Node: by the files themselves and their source maps. */
import { readFileSync, statSync } from 'node:fs'
import { isAbsolute, relative, resolve, sep } from 'node:path'
import { fileURLToPath, pathToFileURL } from 'node:url'
import type { Place } from '@lapsus/core/format'
import { byScript, type CodeLine, type PlaceReader } from './code-line.ts'
import { safely } from './given.ts'
import { inlineMap, mapAddressOf, originalsOf, readSourceMap, type SourceMap } from './source-map.ts'

/** Of a script or a map: larger ones would hold the game up. */
const MOST_BYTES = 16 * 2 ** 20

/** Reads each script once, and forgets it. */
export const nodePlaces: PlaceReader = (lines, tell) => {
  const places: (Place | null)[] = lines.map(() => null)
  for (const [url, own] of byScript(lines)) {
    const found = safely(
      () =>
        placesIn(
          url,
          own.map((i) => lines[i]!),
        ),
      [],
    )
    own.forEach((i, at) => (places[i] = found[at] ?? null))
  }
  tell(places)
}

function placesIn(url: string, lines: CodeLine[]): (Place | null)[] {
  const file = url.startsWith('file:') ? fileURLToPath(url) : url
  if (!isAbsolute(file)) return []
  const map = safely(() => mapOf(file), null)
  if (map === null) return lines.map(({ line }) => placeOf(file, line))
  return originalsOf(map, lines).map((original) => {
    if (original === null || /^(?!file:)[a-z][a-z+.-]+:/.test(original.source)) return null
    const source = original.source.startsWith('file:') ? fileURLToPath(original.source) : original.source
    return placeOf(source, original.line)
  })
}

/** The map that a script names, its sources as whole paths; null where it names none. */
function mapOf(file: string): SourceMap | null {
  const found = mapNamedIn(readBounded(file), file)
  const map = found === null ? null : readSourceMap(found.json)
  return map === null
    ? null
    : { ...map, sources: map.sources.map((source) => safely(() => new URL(source, found!.at).href, source)) }
}

/** The map that a script names, and what its sources are named from; null where it names none. */
function mapNamedIn(script: string, file: string): { json: string; at: URL } | null {
  const address = mapAddressOf(script)
  if (address === null) return null
  const inline = inlineMap(address)
  const base = pathToFileURL(file)
  const at = inline === null ? new URL(address, base) : base
  return { json: inline ?? readBounded(fileURLToPath(at)), at }
}

/** The JSON of the map that a script names; null where it names none that can be read. */
export const readMapOf = (script: string, file: string): string | null =>
  safely(() => mapNamedIn(script, file)?.json ?? null, null)

function readBounded(file: string): string {
  if (statSync(file).size > MOST_BYTES) throw new RangeError(`${file} is too large`)
  return readFileSync(file, 'utf8')
}

/** Below the folder that the game was started in it is named from there. */
function placeOf(file: string, line: number): Place {
  const below = relative(process.cwd(), file)
  const isBelow = below !== '' && !below.startsWith('..') && !isAbsolute(below)
  return { file: (isBelow ? below : resolve(file)).replaceAll(sep, '/'), line, source: null }
}
