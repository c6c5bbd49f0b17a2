/** `npm run bench`: measures, and writes docs/benchmarks.md. Takes about three minutes. */
import { spawnSync } from 'node:child_process'
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { gzipSync } from 'node:zlib'
import { benchmarkPage } from './setup/benchmarks.mjs'
import { ensureBuilt } from './setup/build.mjs'
import { CHROMIUM, ensurePrograms, findProgram, LANGUAGES, MARIADB } from './setup/debian.mjs'
import { emitterCosts } from './setup/emitter-costs.mjs'
import { checkNode, ensurePackages } from './setup/packages.mjs'
import { ROOT } from './setup/root.mjs'
import { runMain, say, SetupError } from './setup/say.mjs'
import { withTemporaryDatabase } from './setup/temporary-database.mjs'

await runMain(async () => {
  checkNode()
  ensurePrograms([...MARIADB, ...CHROMIUM, ...LANGUAGES])
  ensurePackages()
  await ensureBuilt()
  const { build } = await import('esbuild')
  // Below the packages, so that what is not bundled is found.
  const folder = mkdtempSync(join(ROOT, 'node_modules', '.lapsus-bench-'))
  try {
    say('bench: cost of a span')
    const probe = await measure('probe', folder, build, {})
    say('bench: cost of a span in other languages')
    const emitters = emitterCosts()
    say('bench: forecasts')
    const forecast = await measure('forecast', folder, build, {})
    say('bench: comparisons')
    const compare = await measure('compare', folder, build, {})
    say('bench: ingest, queries and drawing')
    const server = await withTemporaryDatabase((url) =>
      measure('server', folder, build, { DATABASE_URL: url, TEST_CHROMIUM: findProgram('chromium') }),
    )
    const bundles = {
      browser: await bundleBytes(build, 'browser', 'browser.ts'),
      overlay: await bundleBytes(build, 'browser', 'overlay/index.ts'),
      node: await bundleBytes(build, 'node', 'node.ts'),
    }
    const date = new Date().toISOString().slice(0, 10)
    writeFileSync(
      join(ROOT, 'docs/benchmarks.md'),
      benchmarkPage({ probe, emitters, forecast, compare, server, bundles }, date),
    )
    say('bench: docs/benchmarks.md is written')
  } finally {
    rmSync(folder, { recursive: true, force: true })
  }
})

/** Bundles a benchmark as products are, runs it in a process of its own, and reads what it prints. */
async function measure(name, folder, build, env) {
  const outfile = join(folder, `${name}.mjs`)
  const external = ['ws', 'puppeteer-core', 'cborg', 'esbuild', 'mariadb', 'sequelize', 'pino']
  await build({
    absWorkingDir: ROOT,
    entryPoints: [`bench/${name}.ts`],
    outfile,
    bundle: true,
    platform: 'node',
    format: 'esm',
    external,
  })
  const result = spawnSync(process.execPath, ['--expose-gc', outfile], {
    cwd: ROOT,
    env: { ...process.env, ...env },
    encoding: 'utf8',
    stdio: ['ignore', 'pipe', 'inherit'],
    maxBuffer: 64 * 1024 * 1024,
  })
  if (result.status !== 0) throw new SetupError(`bench/${name}.ts failed with code ${result.status}`)
  return JSON.parse(result.stdout)
}

/** Bytes of the probe with all it depends on, minified and gzipped. */
async function bundleBytes(build, platform, entry) {
  const { outputFiles } = await build({
    absWorkingDir: ROOT,
    entryPoints: [`packages/probe/src/${entry}`],
    bundle: true,
    minify: true,
    write: false,
    platform,
    format: platform === 'node' ? 'cjs' : 'esm',
  })
  return gzipSync(outputFiles[0].contents, { level: 9 }).length
}
