/** A file of the game with its functions marked, named from the game's folder, its source map kept. */
import remapping from '@jridgewell/remapping'
import type { SourceMap } from 'magic-string'
import picomatch from 'picomatch'
import { originalsOf, readSourceMap } from '../source-map.ts'
import { markSource, MARKABLE, type MarkedFunction } from './mark-source.ts'
import { registryCall } from './marks.ts'

export interface MarkedFile {
  code: string
  map: SourceMap | ReturnType<typeof remapping>
  /** In words, each with its line. */
  leftAsItIs: string[]
}

/** Whether a file is one of those to be marked, by its path below the game's folder, with slashes; `!` leaves out. */
export function chooser(globs: readonly string[]): (file: string) => boolean {
  const not = globs.flatMap((glob) => (glob.startsWith('!') ? [glob.slice(1)] : []))
  const isChosen = picomatch(
    globs.filter((glob) => !glob.startsWith('!')),
    { ignore: ['**/node_modules/**', ...not] },
  )
  return (file) => !file.startsWith('../') && MARKABLE.test(file) && !file.endsWith('.d.ts') && isChosen(file)
}

/** Functions are summed up by the folder that they are in. */
const groupOf = (file: string): string => file.split('/').slice(0, -1).at(-1) ?? ''

/**
 * @param file below the game's folder, with slashes
 * @param before the map of the text, as JSON, where it was made from something else
 * @returns null where there is nothing to mark
 * @throws SyntaxError for what the parser does not know
 */
export function markFile(text: string, file: string, before: string | null): MarkedFile | null {
  const linesOf = (functions: readonly MarkedFunction[]): number[] => {
    const map = before === null ? null : readSourceMap(before)
    if (map === null) return functions.map(({ line }) => line)
    return originalsOf(map, functions).map((original, i) => original?.line ?? functions[i]!.line)
  }
  const marked = markSource(text, file, (functions) =>
    registryCall(
      file,
      groupOf(file),
      functions.map(({ name }) => name),
      linesOf(functions),
    ),
  )
  if (marked === null) return null
  const map = marked.code.generateMap({ source: file, hires: 'boundary' })
  return {
    code: marked.code.toString(),
    map: before === null ? map : remapping([map.toString(), before], () => null),
    leftAsItIs: marked.leftAsItIs.map(
      ({ name, line, why }) => `${file}:${line}: ${name} is not marked: ${why}`,
    ),
  }
}
