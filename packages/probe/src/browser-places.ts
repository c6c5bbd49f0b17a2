/** Where lines of code come from, in a page: by its own scripts, as its server gives them, and their source maps. */
import type { Place } from '@lapsus/core/format'
import { byScript, placeGiven, type PlaceReader } from './code-line.ts'
import { inlineMap, mapAddressOf, originalsOf, readSourceMap } from './source-map.ts'

/** Letters of a script or a map: reading more takes a good part of a frame. */
const MOST_LETTERS = 2 ** 20

/** Each script is asked for once, from the page's own server; what comes from elsewhere has no place. */
export const browserPlaces: PlaceReader = (lines, tell) => {
  const places: (Place | null)[] = lines.map(() => null)
  const asked = [...byScript(lines)].map(async ([url, own]) => {
    const script = await textAt(url)
    const address = mapAddressOf(script)
    if (address === null) {
      own.forEach((i) => (places[i] = placeAt(url, lines[i]!.line)))
      return
    }
    const mapUrl = address.startsWith('data:') ? url : new URL(address, url).href
    const map = readSourceMap(inlineMap(address) ?? (await textAt(mapUrl)))
    if (map === null) return
    const originals = originalsOf(
      map,
      own.map((i) => lines[i]!),
    )
    originals.forEach((original, at) => {
      if (original === null) return
      places[own[at]!] = placeAt(new URL(original.source, mapUrl).href, original.line)
    })
  })
  void Promise.allSettled(asked).then(() => tell(places))
}

async function textAt(url: string): Promise<string> {
  if (new URL(url).origin !== location.origin) throw new Error('not of this page')
  const response = await fetch(url, { cache: 'force-cache' })
  if (!response.ok) throw new Error(String(response.status))
  const text = await response.text()
  if (text.length > MOST_LETTERS) throw new Error('too large')
  return text
}

/** Named from the root of the page's server; what stands there itself has the page's name, or no place. */
function placeAt(url: string, line: number): Place | null {
  const { origin, pathname } = new URL(url)
  if (origin !== location.origin && !url.startsWith('file:')) return null
  return placeGiven({ file: decodeURIComponent(pathname).slice(1) || document.title, line })
}
