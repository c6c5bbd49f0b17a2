/**
 * `npm run test:faults`: kills, mutated input, broken connections, a database that fails, a disk that is full, each
 * many times, and writes docs/reliability.md. Takes about an hour; `-- --seed N` repeats the chances of another run.
 */
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { parseArgs } from 'node:util'
import { ensureBuilt } from './setup/build.mjs'
import { CHROMIUM, ensurePrograms, findProgram, MARIADB } from './setup/debian.mjs'
import { checkNode, ensurePackages } from './setup/packages.mjs'
import { ownClusterSection, reliabilityPage, withClusterSection } from './setup/reliability.mjs'
import { ROOT } from './setup/root.mjs'
import { run } from './setup/run.mjs'
import { runMain, say } from './setup/say.mjs'
import { withTemporaryDatabase } from './setup/temporary-database.mjs'

const { values: options } = parseArgs({ options: { seed: { type: 'string' } } })
const seed = options.seed ?? String(Math.floor(Date.now() / 1000) % 1_000_000)

await runMain(async () => {
  checkNode()
  ensurePrograms([...MARIADB, ...CHROMIUM])
  ensurePackages()
  await ensureBuilt()
  const folder = mkdtempSync(join(tmpdir(), 'lapsus-faults-'))
  const figures = join(folder, 'figures.json')
  try {
    say(`faults: chance begins at ${seed}`)
    const mocha = [
      '--no-config',
      '--require=./scripts/setup/own-state.mjs',
      '--node-option',
      'import=tsx',
      'test/faults/*.test.ts',
    ]
    process.exitCode = await withTemporaryDatabase((url) =>
      run(join(ROOT, 'node_modules/.bin/mocha'), mocha, {
        env: {
          TEST_DATABASE_URL: url,
          TEST_CHROMIUM: findProgram('chromium'),
          NODE_ENV: 'test',
          TESTS: 'long',
          FAULTS_SEED: seed,
          FAULTS_FIGURES: figures,
        },
      }),
    )
    // A run that found something wrong is no result to show.
    if (process.exitCode !== 0) return
    const page = reliabilityPage(JSON.parse(readFileSync(figures, 'utf8')), seed)
    const file = join(ROOT, 'docs/reliability.md')
    const cluster = ownClusterSection(readFileSync(file, 'utf8'))
    writeFileSync(file, cluster === '' ? page : withClusterSection(page, cluster))
    say('faults: docs/reliability.md is written')
  } finally {
    rmSync(folder, { recursive: true, force: true })
  }
})
