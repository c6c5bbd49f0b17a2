/** Source files, where the game was played. */
import { readFileSync, statSync } from 'node:fs'
import { resolve } from 'node:path'

/** Of a file: what is larger was hardly written by hand. */
const MOST_BYTES = 2 ** 20

export interface SourceFiles {
  /** That files are named from. */
  folder: string
  /** Files that were changed later hold other code than was played. */
  untilMs: number
}

/** Null for what cannot be read, is no text, or was changed since. */
export function sourceText({ folder, untilMs }: SourceFiles, file: string): string | null {
  try {
    const path = resolve(folder, file)
    const { size, mtimeMs } = statSync(path)
    if (size > MOST_BYTES || mtimeMs > untilMs) return null
    return new TextDecoder('utf-8', { fatal: true }).decode(readFileSync(path))
  } catch {
    return null
  }
}
