/** docs/architecture.svg: packages with their folders from the bottom up, as tall as they have code. */
import { existsSync, readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { foldersOf, ORDER } from './folders.ts'

const FILE = 'docs/architecture.svg'
const ROOT = join(import.meta.dirname, '../..')
const WIDTH = 300
const GAP = 24
const ROW = 30
const TOP = 64

/** The picture as the code is now. Sizes of folders are left out: they change with every line. */
export function pictureNow(): string {
  const packages = Object.keys(ORDER)
  const height = TOP + ROW * Math.max(...packages.map((root) => ORDER[root]!.length)) + 40
  const width = GAP + packages.length * (WIDTH + GAP)
  const columns = packages.map((root, i) => packageColumn(root, GAP + i * (WIDTH + GAP), height))
  return [
    `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 ${width} ${height}" font-family="sans-serif" font-size="13" role="img" aria-label="Packages and their folders, each above those it may import">`,
    `<rect width="${width}" height="${height}" fill="#f6f2e9"/>`,
    ...columns,
    `<text x="${GAP}" y="${height - 14}" fill="#66676a">a folder imports those below it and beside it; server, web and cli import core; core imports none</text>`,
    '</svg>',
    '',
  ].join('\n')
}

function packageColumn(root: string, x: number, height: number): string {
  const levels = ORDER[root]!
  const folders = foldersOf(root)
  const bottom = height - 40
  const rows = levels.map((names, level) => {
    const y = bottom - (level + 1) * ROW
    const wide = WIDTH / names.length
    return folders
      .filter((folder) => folder.level === level)
      .map(
        ({ name }, i) =>
          `<g><rect x="${x + i * wide + 1}" y="${y + 2}" width="${wide - 2}" height="${ROW - 4}" rx="3" fill="#fdfbf6" stroke="#d9d2c3"/>` +
          `<text x="${x + i * wide + wide / 2}" y="${y + ROW / 2 + 4}" text-anchor="middle" fill="#202a32" font-size="${names.length > 4 ? 10 : 13}">${name}</text></g>`,
      )
      .join('')
  })
  return [
    `<text x="${x}" y="36" font-size="16" font-weight="600" fill="#202a32">${root.replace('/src', '')}</text>`,
    ...rows,
  ].join('\n')
}

/** Writes the picture if it is out of date. @returns its name, if it was */
export function architecturePicture(): string[] {
  const path = join(ROOT, FILE)
  const now = pictureNow()
  if (existsSync(path) && readFileSync(path, 'utf8') === now) return []
  writeFileSync(path, now)
  return [FILE]
}
