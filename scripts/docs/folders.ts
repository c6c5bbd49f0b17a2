/** The folders of each package, from the bottom up, and what each is for. */
import { readdirSync, readFileSync } from 'node:fs'
import { createRequire } from 'node:module'
import { join } from 'node:path'

const ROOT = join(import.meta.dirname, '../..')

interface Order {
  ORDER: Record<string, string[][]>
}
/** The order that lint holds: by package, folders from the bottom up. */
export const { ORDER } = createRequire(import.meta.url)('../../.dependency-cruiser.cjs') as Order

/** What a folder is for, where its name does not say all. */
const ABOUT: Record<string, Record<string, string>> = {
  core: {
    words: 'the only sentences and number formats',
    stats: 'percentiles, robust spread, trends, chance',
    format: 'records as tables of columns: codec, checks, limits, protocol',
    take: 'paths, digest, packing, frames, joining and cutting',
    rollup: 'courses of paths over frames, and sums that add up',
    study: 'a take, or a part of it, as questions need it; without the recorder',
    detect: 'spikes, families, laws; kinds of findings, one file each',
    lists: 'written by `npm run lists`: what stands one in a file',
    questions: 'one folder each: what it asks, what it tells, its answer',
    remedy: 'forecasts on the recorded frames; remedies, one file each',
    compare: 'takes, and variants within one, set against each other with intervals',
    gate: 'takes held against a budget',
    exchange: 'formats that takes are read from and written to, one file each',
  },
  server: {
    store: 'tables, rows, chunks, migrations; handed in as one object',
    threads: 'what is handed from thread to thread',
    ingest: 'streams, imports, spool files, OpenTelemetry',
    access: 'passwords, sessions, keys',
    recordings: 'runs of the demo game',
    serve: 'HTTP: questions at their edge, routes, the guard',
    lists: 'written by `npm run lists`',
  },
  web: {
    lists: 'written by `npm run lists`',
    format: 'how conditions read',
    components: 'buttons, tables, canvas, charts',
    state: 'what the page knows, by concern',
    api: 'requests, checked when they are answered',
    plan: 'the plan: history, saving, forecasting, its worker, its column',
    code: 'places in the code, and how they are opened',
    stills: 'what was on the screen',
    shell: 'what stands around every page',
    access: 'signing in and out',
    budgets: 'what groups may spend',
    findings: 'the column of findings',
    strip: 'all frames, hanging from the top',
    live: 'a take while it is recorded',
    sights: 'what the middle can show, one folder each',
    workbench: 'one take: keys, address, tabs',
    library: 'all takes',
  },
}

export interface Folder {
  name: string
  level: number
  files: number
  lines: number
  about: string
}

/** The ordered folders of a package. */
export function foldersOf(root: string): Folder[] {
  const pack = root.split('/')[1]!
  return ORDER[root]!.flatMap((names, level) =>
    names.map((name) => ({
      ...{ name, level, about: ABOUT[pack]?.[name] ?? '' },
      ...sizeOf(join(ROOT, root, name)),
    })),
  )
}

function sizeOf(folder: string): { files: number; lines: number } {
  const files = readdirSync(folder, { recursive: true, withFileTypes: true }).filter(
    (entry) => entry.isFile() && /\.tsx?$/.test(entry.name),
  )
  const lines = files.reduce(
    (sum, { parentPath, name }) => sum + readFileSync(join(parentPath, name), 'utf8').split('\n').length,
    0,
  )
  return { files: files.length, lines }
}

export function folderTable(): string {
  return Object.keys(ORDER)
    .map((root) =>
      [
        `### ${root}`,
        '',
        '| folder | what it is |',
        '| --- | --- |',
        ...foldersOf(root).map(({ name, about }) => `| \`${name}\` | ${about} |`),
      ].join('\n'),
    )
    .join('\n\n')
}
