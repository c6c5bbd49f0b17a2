import { readFileSync, realpathSync } from 'node:fs'
import { sep } from 'node:path'

/**
 * The text of a file that a take names, below a folder; null for anything else: a take may name what it likes, and
 * whoever may look at it would read it.
 */
export function sourceBelow(folder: string, file: string): string | null {
  try {
    const [root, path] = [realpathSync(folder), realpathSync(`${folder}/${file}`)]
    return path.startsWith(root + sep) ? readFileSync(path, 'utf8') : null
  } catch {
    return null
  }
}
