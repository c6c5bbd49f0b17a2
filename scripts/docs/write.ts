import { readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import * as prettier from 'prettier'
import { PIECES } from './pages.ts'

const ROOT = join(import.meta.dirname, '../..')

const begins = (name: string) => `<!-- ${name}: written by npm run docs -->`
const ends = (name: string) => `<!-- end of ${name} -->`

/** A page with its pieces as the code has them now. */
export async function pageNow(page: string): Promise<{ before: string; now: string }> {
  const before = readFileSync(join(ROOT, page), 'utf8')
  let now = before
  for (const [name, make] of Object.entries(PIECES[page]!)) {
    const [head, rest] = split(now, begins(name), page)
    const [, tail] = split(rest, ends(name), page)
    now = `${head}${begins(name)}\n\n${make()}\n\n${ends(name)}${tail}`
  }
  const options = await prettier.resolveConfig(join(ROOT, page))
  return { before, now: await prettier.format(now, { ...options, filepath: page }) }
}

function split(text: string, mark: string, page: string): [string, string] {
  const at = text.indexOf(mark)
  if (at < 0) throw new Error(`${page} has no place “${mark}”`)
  return [text.slice(0, at), text.slice(at + mark.length)]
}

/** Writes every page that is out of date. @returns their names */
export async function writePages(): Promise<string[]> {
  const written: string[] = []
  for (const page of Object.keys(PIECES)) {
    const { before, now } = await pageNow(page)
    if (now === before) continue
    writeFileSync(join(ROOT, page), now)
    written.push(page)
  }
  return written
}
