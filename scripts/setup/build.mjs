/** Bundles the programs that run without a TypeScript loader, and the web pages. */
import { copyFileSync, existsSync, mkdirSync, readdirSync, statSync } from 'node:fs'
import { join } from 'node:path'
import { buildPackages, PROBE_PACKAGE } from './build-packages.mjs'
import { ensureLists } from './lists.mjs'
import { ROOT } from './root.mjs'
import { say } from './say.mjs'

/** Packages of which little is used, and the rest would only take memory: they are built in, with what they need. */
const INSIDE = ['@lapsus/', 'class-validator', 'class-transformer', 'validator/', 'libphonenumber-js']

/** Each built program: entry and result. Other packages of others stay in node_modules. */
const PROGRAMS = [
  { entry: 'packages/server/src/main.ts', out: 'packages/server/dist/main.mjs' },
  { entry: 'packages/server/src/serve/pool/pool-worker.ts', out: 'packages/server/dist/pool-worker.mjs' },
  { entry: 'packages/cli/src/main.ts', out: 'packages/cli/dist/main.mjs' },
  { entry: 'packages/probe/src/marks/node.ts', out: 'packages/cli/dist/mark-preload.mjs' },
  { entry: 'packages/probe/src/marks/node-hooks.ts', out: 'packages/cli/dist/mark-hooks.mjs' },
  { entry: 'games/moth-post/src/main.ts', out: 'games/moth-post/dist/main.mjs' },
  { entry: 'games/moth-post/src/wind-worker.ts', out: 'games/moth-post/dist/wind-worker.mjs' },
  { entry: 'games/moth-post/src/routes-worker.ts', out: 'games/moth-post/dist/routes-worker.mjs' },
]
const WEB = { folder: 'packages/web', out: 'packages/web/dist/index.html' }

/** The demo game's page, which the server shows. */
const GAME_PAGE = {
  folder: 'games/moth-post/page',
  out: 'games/moth-post/dist/page',
  scripts: ['page.ts', 'worker.ts'],
  files: ['index.html', 'page.css'],
}

/** Builds what is older than any source it might be made of. */
export async function ensureBuilt() {
  ensureLists()
  const newest = ['packages', 'games', 'emitters'].reduce(
    (newest, folder) => newestSource(join(ROOT, folder), newest),
    0,
  )
  const oldest = Math.min(
    ...[...PROGRAMS.map(({ out }) => out), WEB.out].map((out) => modified(join(ROOT, out))),
    modified(PROBE_PACKAGE),
  )
  if (oldest >= newest) {
    say('build: up to date')
    return
  }
  say('build: programs and pages')
  await buildPrograms()
  await buildPackages()
  await buildWeb()
}

export async function buildPrograms() {
  const { build } = await import('esbuild')
  const ownPackages = {
    name: 'own packages inside, most others outside',
    setup(build) {
      build.onResolve({ filter: /^[^./]/ }, ({ path, kind }) =>
        kind === 'entry-point' || INSIDE.some((name) => path.startsWith(name))
          ? null
          : { path, external: true },
      )
    },
  }
  await buildGamePage(build)
  await Promise.all(
    PROGRAMS.map(({ entry, out }) =>
      build({
        absWorkingDir: ROOT,
        entryPoints: [entry],
        outfile: out,
        bundle: true,
        platform: 'node',
        format: 'esm',
        target: 'node20',
        // ES modules first: of these, what is not used is left out.
        mainFields: ['module', 'main'],
        sourcemap: true,
        plugins: [ownPackages],
        tsconfig: 'tsconfig.json',
        logLevel: 'warning',
      }),
    ),
  )
}

async function buildGamePage(build) {
  const { folder, out, scripts, files } = GAME_PAGE
  await build({
    absWorkingDir: ROOT,
    entryPoints: scripts.map((script) => join(folder, script)),
    outdir: out,
    bundle: true,
    platform: 'browser',
    format: 'esm',
    target: 'es2022',
    sourcemap: true,
    tsconfig: 'tsconfig.json',
    logLevel: 'warning',
  })
  mkdirSync(join(ROOT, out), { recursive: true })
  for (const file of files) copyFileSync(join(ROOT, folder, file), join(ROOT, out, file))
}

async function buildWeb() {
  const { build } = await import('vite')
  await build({ root: join(ROOT, WEB.folder), logLevel: 'warn' })
}

const modified = (file) => (existsSync(file) ? statSync(file).mtimeMs : 0)

/** Latest change below a folder, but for what is built or installed. */
function newestSource(folder, newest) {
  for (const entry of readdirSync(folder, { withFileTypes: true })) {
    if (['node_modules', 'dist', 'test', 'coverage'].includes(entry.name)) continue
    const path = join(folder, entry.name)
    newest = entry.isDirectory() ? newestSource(path, newest) : Math.max(newest, statSync(path).mtimeMs)
  }
  return newest
}
