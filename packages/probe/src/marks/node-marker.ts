/** Marks what Node loads of the chosen files. */
import { isAbsolute, relative, sep } from 'node:path'
import { readMapOf } from '../node-places.ts'
import { mapAddressOf } from '../source-map.ts'
import { chooser, markFile } from './mark-file.ts'

export interface MarkingSettings {
  globs: string[]
  /** That they are named from. */
  folder: string
  /** Name of the function that begins frames. */
  frame?: string
  game: string
}

export class NodeMarker {
  readonly #folder: string
  readonly #isChosen: (file: string) => boolean
  readonly #tell: (words: string) => void

  /** @param tell told what is left as it is, and why */
  constructor({ globs, folder }: MarkingSettings, tell: (words: string) => void) {
    this.#folder = folder
    this.#isChosen = chooser(globs)
    this.#tell = tell
  }

  /** The file from the game's folder; null where it is not chosen. */
  nameOf(path: string): string | null {
    const below = relative(this.#folder, path)
    const file = below.replaceAll(sep, '/')
    return isAbsolute(below) || !this.#isChosen(file) ? null : file
  }

  /** The text with markers; as it was where that cannot be done. */
  mark(text: string, path: string): string {
    const file = this.nameOf(path)
    if (file === null) return text
    const before = readMapOf(text, path)
    try {
      const marked = markFile(text, file, before)
      if (marked === null) return text
      for (const words of marked.leftAsItIs) this.#tell(words)
      // Lines are where they were: without a map of its own a stack is right as it is.
      return before === null ? marked.code : withMap(marked.code, marked.map.toString())
    } catch (error) {
      this.#tell(`${file}: nothing is marked: ${(error as Error).message}`)
      return text
    }
  }
}

function withMap(code: string, map: string): string {
  const address = mapAddressOf(code)!
  const own = `data:application/json;base64,${Buffer.from(map).toString('base64')}`
  // The last: the code may speak of a file of that name.
  const at = code.lastIndexOf(address)
  return code.slice(0, at) + own + code.slice(at + address.length)
}
