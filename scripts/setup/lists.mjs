/**
 * Lists of what stands one in a file: whoever adds a file need not add it anywhere else. The lists are sources like
 * any other, so that types, bundlers and tests see them; they are written anew when files come or go, and are not kept.
 */
import { existsSync, mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs'
import { dirname, join, relative } from 'node:path'
import { ROOT } from './root.mjs'

const CORE = 'packages/core/src'
const SERVER = 'packages/server/src'
const WEB = 'packages/web/src'

/** Writes every list that is out of date. @returns paths of those that were, from the root */
export function ensureLists() {
  const findings = filesIn(`${CORE}/detect/kinds`)
  const remedies = filesIn(`${CORE}/remedy/kinds`)
  const sights = filesBelow(`${WEB}/sights`, 'sight.ts')
  return [
    write(
      `${CORE}/lists/kinds.ts`,
      names('FINDING_KINDS', 'FindingKind', findings) + names('REMEDY_KINDS', 'RemedyKind', remedies),
    ),
    write(`${CORE}/lists/version.ts`, version()),
    write(`${CORE}/lists/findings.ts`, imports(`${CORE}/lists`, findings, 'kind', 'FINDING_LIST')),
    write(`${CORE}/lists/questions.ts`, questions(`${CORE}/questions`)),
    write(`${CORE}/lists/remedies.ts`, imports(`${CORE}/lists`, remedies, 'remedy', 'REMEDY_LIST')),
    write(`${WEB}/lists/sight-names.ts`, names('SIGHT_NAMES', 'SightName', sights)),
    write(`${WEB}/lists/sights.ts`, imports(`${WEB}/lists`, sights, 'sight', 'SIGHTS')),
    write(
      `${SERVER}/lists/edges.ts`,
      imports(`${SERVER}/lists`, filesIn(`${SERVER}/serve/edge`), 'edge', 'EDGES'),
    ),
  ].flatMap((file) => file ?? [])
}

/** The version stands in package.json alone. */
function version() {
  const { version } = JSON.parse(readFileSync(join(ROOT, 'package.json'), 'utf8'))
  return `export const VERSION = '${version}'\n`
}

/** The files of a folder, each by its own name. */
const filesIn = (folder) =>
  inOrder(
    readdirSync(join(ROOT, folder))
      .filter((file) => /\.ts$/.test(file))
      .map((file) => ({ name: file.replace(/\.ts$/, ''), path: join(folder, file) })),
  )

/** A file of one name in each folder, by the folder's name. */
const filesBelow = (folder, file) =>
  inOrder(
    readdirSync(join(ROOT, folder), { withFileTypes: true })
      .filter((entry) => entry.isDirectory())
      .map(({ name }) => ({ name, path: join(folder, name, file) })),
  )

/** Files that say `order: N` come in that order, the others by name. */
function inOrder(files) {
  const orderOf = ({ path }) =>
    Number(/^ {2}order: (\d+),$/m.exec(readFileSync(join(ROOT, path), 'utf8'))?.[1] ?? Infinity)
  return files
    .map((file) => ({ ...file, order: orderOf(file) }))
    .sort((a, b) => a.order - b.order || (a.name < b.name ? -1 : 1))
}

/** A folder each, whose name in capitals is the question's; those about one take, and those about two sides. */
function questions(folder) {
  const found = readdirSync(join(ROOT, folder), { withFileTypes: true })
    .filter((entry) => entry.isDirectory())
    .map(({ name }) => ({ name, constant: name.toUpperCase().replaceAll('-', '_') }))
    .sort((a, b) => (a.name < b.name ? -1 : 1))
  const lines = found.map(
    ({ name, constant }) => `import { ${constant} } from '../questions/${name}/index.ts'`,
  )
  const madeBy = (maker) =>
    found
      .filter(({ name, constant }) =>
        readFileSync(join(ROOT, folder, name, 'index.ts'), 'utf8').includes(
          `export const ${constant} = ${maker}(`,
        ),
      )
      .map(({ constant }) => constant)
      .join(', ')
  return (
    `${lines.join('\n')}\n\nexport const QUESTION_LIST = [${madeBy('question')}] as const\n` +
    `export const TAKES_QUESTION_LIST = [${madeBy('takesQuestion')}] as const\n`
  )
}

const names = (list, type, files) =>
  `export const ${list} = [${files.map(({ name }) => `'${name}'`).join(', ')}] as const\n` +
  `export type ${type} = (typeof ${list})[number]\n`

function imports(folder, files, exported, list) {
  const local = (name) => name.replace(/-(\w)/g, (_, letter) => letter.toUpperCase())
  const lines = files.map(
    ({ name, path }) => `import { ${exported} as ${local(name)} } from '${relative(folder, path)}'`,
  )
  return `${lines.join('\n')}\n\nexport const ${list} = [${files.map(({ name }) => local(name)).join(', ')}] as const\n`
}

function write(file, source) {
  const path = join(ROOT, file)
  const text = `/** Written by \`npm run lists\` from the files beside it. */\n${source}`
  if (existsSync(path) && readFileSync(path, 'utf8') === text) return null
  mkdirSync(dirname(path), { recursive: true })
  writeFileSync(path, text)
  return file
}
