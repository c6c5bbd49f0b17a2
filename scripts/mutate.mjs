/**
 * `npm run mutate`: changes the core's rules one place at a time and counts which changes no test notices.
 * `-- --sample 20 --seed 1` takes a fifth of the lines, by chance: the whole takes hours.
 */
import { spawn } from 'node:child_process'
import { readdirSync, readFileSync, statSync } from 'node:fs'
import { join } from 'node:path'
import { parseArgs } from 'node:util'
import { ensureLists } from './setup/lists.mjs'
import { ROOT } from './setup/root.mjs'

const FOLDERS = ['detect', 'remedy', 'take', 'rollup', 'study']
/** Lines that are taken together: a rule is rarely longer. */
const WINDOW = 10

const { values, positionals } = parseArgs({
  options: { sample: { type: 'string', default: '100' }, seed: { type: 'string', default: '1' } },
  allowPositionals: true,
})
const share = Number(values.sample) / 100
if (!(share > 0 && share <= 1)) throw new Error(`--sample must be a percentage, got ${values.sample}`)

ensureLists()
const files =
  positionals.length > 0 ? positionals : FOLDERS.flatMap((folder) => sources(`packages/core/src/${folder}`))
const mutate = share === 1 ? files : files.flatMap(windowsOf)
const stryker = spawn(join(ROOT, 'node_modules/.bin/stryker'), ['run', '--mutate', mutate.join(',')], {
  cwd: ROOT,
  stdio: 'inherit',
})
stryker.on('exit', (code) => (process.exitCode = code ?? 1))

function sources(folder) {
  return readdirSync(join(ROOT, folder), { recursive: true })
    .map((name) => join(folder, name))
    .filter(
      (file) => file.endsWith('.ts') && !file.endsWith('index.ts') && statSync(join(ROOT, file)).isFile(),
    )
    .sort()
}

function windowsOf(file) {
  const lines = readFileSync(join(ROOT, file), 'utf8').split('\n').length
  const windows = Array.from({ length: Math.ceil(lines / WINDOW) }, (_, i) => i * WINDOW + 1)
  return windows
    .filter((first) => chance(`${values.seed} ${file} ${first}`) < share)
    .map((first) => `${file}:${first}-${Math.min(lines, first + WINDOW - 1)}`)
}

/** From 0 to 1, always the same for the same text: Fowler, Noll and Vo's hash, stirred. */
function chance(text) {
  let hash = 0x811c9dc5
  for (const letter of text) hash = Math.imul(hash ^ letter.charCodeAt(0), 0x01000193)
  hash = Math.imul(hash ^ (hash >>> 15), 0x2c1b3c6d)
  hash = Math.imul(hash ^ (hash >>> 12), 0x297a2d39)
  return ((hash ^ (hash >>> 15)) >>> 0) / 2 ** 32
}
