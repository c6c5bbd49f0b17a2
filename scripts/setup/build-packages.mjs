/**
 * The packages that games and machines outside this repository install: self-contained, ESM and CommonJS, with types.
 * `dist/packages/lapsus-probe.tgz`, `dist/packages/lapsus-cli.tgz`, `dist/packages/probe.js` and, as a plain script,
 * `dist/packages/lapsus-probe.js` for a page; beside them the emitters for other languages, each a single file.
 */
import { spawnSync } from 'node:child_process'
import {
  copyFileSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  renameSync,
  rmSync,
  writeFileSync,
} from 'node:fs'
import { basename, dirname, join, relative } from 'node:path'
import { ROOT } from './root.mjs'
import { SetupError } from './say.mjs'

export const PACKAGES = join(ROOT, 'dist/packages')
export const PROBE_PACKAGE = join(PACKAGES, 'lapsus-probe.tgz')

const EMITTERS = ['c/lapsus.h', 'csharp/Lapsus.cs', 'lua/lapsus.lua', 'python/lapsus.py']

/** Native helpers that ws would use if they were there; it does without. */
const OPTIONAL = ['bufferutil', 'utf-8-validate']
/** What CommonJS code inside an ES module needs; a game may bundle the whole to CommonJS again. */
const WITH_REQUIRE =
  "import { createRequire as lapsusRequire } from 'node:module'; const require = lapsusRequire(import.meta.url ?? __filename);"

/** Entries of the probe: where it runs, and its source. */
const PROBE_ENTRIES = {
  node: { platform: 'node', source: 'node.ts' },
  browser: { platform: 'browser', source: 'browser.ts' },
  worker: { platform: 'browser', source: 'worker.ts' },
  'node-worker': { platform: 'node', source: 'node-worker.ts' },
  overlay: { platform: 'browser', source: 'overlay/index.ts' },
  marks: { platform: 'browser', source: 'marks/page.ts' },
  vite: { platform: 'node', source: 'marks/vite.ts' },
}

export async function buildPackages() {
  rmSync(PACKAGES, { recursive: true, force: true })
  const { build } = await import('esbuild')
  await buildProbe(build)
  await buildCli(build)
  for (const emitter of EMITTERS)
    copyFileSync(join(ROOT, 'emitters', emitter), join(PACKAGES, basename(emitter)))
}

async function buildProbe(build) {
  const folder = join(PACKAGES, 'probe')
  for (const [name, { platform, source }] of Object.entries(PROBE_ENTRIES)) {
    for (const [format, extension] of [
      ['esm', 'mjs'],
      ['cjs', 'cjs'],
    ]) {
      await bundle(build, {
        entryPoints: [`packages/probe/src/${source}`],
        outfile: join(folder, `${name}.${extension}`),
        platform,
        format,
        banner: platform === 'node' && format === 'esm' ? { js: WITH_REQUIRE } : {},
      })
    }
  }
  await bundle(build, {
    entryPoints: ['packages/probe/src/script.ts'],
    outfile: join(PACKAGES, 'lapsus-probe.js'),
    platform: 'browser',
    format: 'iife',
    globalName: 'Lapsus',
    minify: true,
  })
  copyFileSync(join(PACKAGES, 'lapsus-probe.js'), join(folder, 'script.js'))
  copyFileSync(join(folder, 'browser.mjs'), join(PACKAGES, 'probe.js'))
  writeTypes(folder)
  copyFileSync(join(ROOT, 'docs/probe.md'), join(folder, 'README.md'))
  pack(folder, {
    name: '@lapsus/probe',
    description: 'Records what a game spends, frame by frame, for Lapsus',
    exports: {
      '.': { node: bothWays('node'), default: bothWays('browser') },
      './worker': { node: bothWays('node-worker'), default: bothWays('worker') },
      './overlay': bothWays('overlay', 'overlay/index'),
      './marks': bothWays('marks', 'marks/page'),
      './vite': bothWays('vite', 'marks/vite'),
      './script': './script.js',
      './package.json': './package.json',
    },
    // For resolvers that do not read "exports".
    main: './node.cjs',
    module: './browser.mjs',
    types: './types/probe/node.d.ts',
    sideEffects: false,
  })
}

const bothWays = (name, types = name) => ({
  import: { types: `./types/probe/${types}.d.ts`, default: `./${name}.mjs` },
  require: { types: `./types/probe/${types}.d.cts`, default: `./${name}.cjs` },
})

async function buildCli(build) {
  const folder = join(PACKAGES, 'cli')
  const programs = [
    ['packages/cli/src/main.ts', 'lapsus', '#!/usr/bin/env node\n'],
    // What is loaded before a game that is to be marked.
    ['packages/probe/src/marks/node.ts', 'mark-preload', ''],
    ['packages/probe/src/marks/node-hooks.ts', 'mark-hooks', ''],
  ]
  for (const [entry, name, first] of programs)
    await bundle(build, {
      entryPoints: [entry],
      outfile: join(folder, `${name}.mjs`),
      platform: 'node',
      format: 'esm',
      banner: { js: first + WITH_REQUIRE },
    })
  copyFileSync(join(ROOT, 'docs/cli.md'), join(folder, 'README.md'))
  pack(folder, {
    name: '@lapsus/cli',
    description: 'The command line of Lapsus',
    bin: { lapsus: './lapsus.mjs' },
  })
}

const bundle = (build, options) =>
  build({
    absWorkingDir: ROOT,
    bundle: true,
    target: options.platform === 'node' ? 'node20' : 'es2022',
    external: OPTIONAL,
    tsconfig: 'tsconfig.json',
    logLevel: 'warning',
    ...options,
  })

/** Declarations as the compiler writes them, with every name of a module made one that is in the package. */
function writeTypes(folder) {
  const made = join(folder, 'made')
  const result = spawnSync(
    process.execPath,
    [
      join(ROOT, 'node_modules/typescript/bin/tsc'),
      '-p',
      'packages/probe/tsconfig.types.json',
      '--outDir',
      made,
    ],
    { cwd: ROOT, encoding: 'utf8' },
  )
  if (result.status !== 0) throw new SetupError(`the probe's types cannot be written:\n${result.stdout}`)
  for (const file of readdirSync(made, { recursive: true, encoding: 'utf8' })) {
    const place = /^(probe|core)\/src\/(.*)\.d\.ts$/.exec(file)
    if (place === null) continue
    const [, name, module] = place
    const path = `${name}/${module}`
    const text = readFileSync(join(made, file), 'utf8')
    for (const [script, declaration] of [
      ['.js', '.d.ts'],
      ['.cjs', '.d.cts'],
    ]) {
      const target = join(folder, 'types', path + declaration)
      mkdirSync(dirname(target), { recursive: true })
      writeFileSync(target, text.replace(/(from |import\()(['"])([^'"]+)\2/g, inPackage(path, script)))
    }
  }
  rmSync(made, { recursive: true })
}

/** `./probe.ts` and `@lapsus/core/format`, as seen from a module of the package. */
const inPackage = (path, script) => (whole, before, quote, name) => {
  if (name === '@lapsus/core/format') {
    const to = relative(dirname(path), 'core/format/index')
    return `${before}${quote}${to.startsWith('.') ? to : `./${to}`}${script}${quote}`
  }
  return name.startsWith('.') ? `${before}${quote}${name.replace(/\.ts$/, script)}${quote}` : whole
}

function pack(folder, fields) {
  const { version } = JSON.parse(readFileSync(join(ROOT, 'package.json'), 'utf8'))
  const description = { version, type: 'module', engines: { node: '>=20.10' }, ...fields }
  writeFileSync(join(folder, 'package.json'), JSON.stringify(description, null, 2) + '\n')
  const result = spawnSync('npm', ['pack', '--json', '--offline', '--loglevel=error'], {
    cwd: folder,
    encoding: 'utf8',
  })
  if (result.status !== 0) throw new SetupError(`"npm pack" failed in ${folder}:\n${result.stderr}`)
  const file = readdirSync(folder).find((name) => name.endsWith('.tgz'))
  renameSync(join(folder, file), join(PACKAGES, `${fields.name.replace('@', '').replace('/', '-')}.tgz`))
}
