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

/** Endings of what people write games in. A take names files as it likes: others of this machine are not its own. */
const WRITTEN =
  /\.(c|cc|cpp|cxx|h|hh|hpp|m|mm|cs|fs|vb|lua|py|rb|js|mjs|cjs|jsx|ts|mts|cts|tsx|rs|go|zig|java|kt|swift|hx|nut|wren|script)$/i

/** Null for what is no source, cannot be read, is no text, or was changed since. */
export function sourceText({ folder, untilMs }: SourceFiles, file: string): string | null {
  if (!WRITTEN.test(file)) return null
  try {
    const path = resolve(folder, file)
    const { size, mtimeMs } = statSync(path)
    if (size > MOST_BYTES || mtimeMs > untilMs) return null
    return new TextDecoder('utf-8', { fatal: true }).decode(readFileSync(path))
  } catch {
    return null
  }
}
