/** `npm test`: sets up whatever is missing, then type check, lint, format and all tests. */
import { mkdtempSync, readFileSync, rmSync } from 'node:fs'
import { availableParallelism, tmpdir } from 'node:os'
import { join } from 'node:path'
import { ensureBuilt } from './setup/build.mjs'
import { BACKUP, LANGUAGES, CHROMIUM, ensurePrograms, findProgram, MARIADB } from './setup/debian.mjs'
import { checkNode, ensurePackages } from './setup/packages.mjs'
import { ROOT } from './setup/root.mjs'
import { run } from './setup/run.mjs'
import { runMain, say } from './setup/say.mjs'
import { withTemporaryDatabase } from './setup/temporary-database.mjs'

const CHECKS = [
  ['type check', ['tsc', '-p', 'tsconfig.json']],
  ['type check of core without DOM and Node', ['tsc', '-p', 'packages/core/tsconfig.json']],
  ['lint', ['eslint', '.']],
  ['format', ['prettier', '--check', '--log-level=warn', '.']],
  [
    'order of folders',
    ['depcruise', 'packages', 'games', '--config', '.dependency-cruiser.cjs', '--output-type', 'err'],
  ],
  ['dead code', ['knip', '--no-progress']],
]

/**
 * What needs a processor and nothing else; and what has servers, databases and browsers to wait for. Servers are in one
 * lot only: one that is to begin again on its port must find it free.
 */
const CALCULATIONS = [
  'packages/{api,core}/test/**/*.test.ts',
  'packages/cli/test/{check,compare,composite,marks}.test.ts',
  'games/*/test/**/*.test.ts',
]
const SYSTEMS = [
  'packages/{probe,server,web}/test/**/*.test.ts',
  'packages/cli/test/!(check|compare|composite|marks).test.ts',
  'test/*.test.ts',
  'test/faults/**/*.test.ts',
]
/** Far more than they take: tests that do not come to an end must fail, not stand. */
const MOST_TEST_MS = 45 * 60_000

const totals = { passed: 0, failed: 0, skipped: 0 }

await runMain(async () => {
  checkNode()
  ensurePrograms([...MARIADB, ...BACKUP, ...CHROMIUM, ...LANGUAGES])
  ensurePackages()
  await ensureBuilt()
  await runChecks()
  await runTests()
  const skipped = totals.skipped > 0 ? `, ${totals.skipped} skipped` : ''
  process.stdout.write(`\n${totals.passed} passed, ${totals.failed} failed${skipped}\n`)
  process.exitCode = totals.failed > 0 ? 1 : 0
})

/** As many at once as there are cores. */
async function runChecks() {
  const waiting = [...CHECKS]
  const work = async () => {
    for (let check = waiting.shift(); check !== undefined; check = waiting.shift()) {
      const [name, [tool, ...args]] = check
      const good = (await run(join(ROOT, 'node_modules/.bin', tool), args)) === 0
      totals[good ? 'passed' : 'failed']++
      say(`${name}: ${good ? 'passed' : 'failed'}`)
    }
  }
  await Promise.all(Array.from({ length: availableParallelism() }, work))
}

/** Both lots side by side, beside a database of their own. */
async function runTests() {
  const folder = mkdtempSync(join(tmpdir(), 'lapsus-test-'))
  try {
    await withTemporaryDatabase(async (url) => {
      const env = {
        TEST_DATABASE_URL: url,
        TEST_CHROMIUM: findProgram('chromium'),
        NODE_ENV: 'test',
      }
      const quietly = join(folder, 'calculations.txt')
      await Promise.all([
        runLot(SYSTEMS, { folder, env }),
        runLot(CALCULATIONS, { folder, env, output: quietly }),
      ])
      process.stdout.write(readFileSync(quietly))
    })
  } finally {
    rmSync(folder, { recursive: true, force: true })
  }
}

/**
 * Mocha with some files; its reporter leaves the counts in a file.
 * @param output file for what it says, if it is not to be seen at once
 */
async function runLot(files, { folder, env, output }) {
  const counts = join(folder, `counts-${output === undefined ? 'seen' : 'quiet'}.json`)
  const mocha = join(ROOT, 'node_modules/.bin/mocha')
  try {
    const args = ['--reporter', 'scripts/setup/counting-reporter.cjs', ...files]
    const code = await run(mocha, args, {
      ...{ mostMs: MOST_TEST_MS, output, env: { ...env, TEST_COUNTS: counts } },
    })
    const { passes, failures, pending } = JSON.parse(readFileSync(counts, 'utf8'))
    totals.passed += passes
    totals.skipped += pending
    // A run that broke off outside any test must not pass.
    totals.failed += Math.max(failures, code === 0 ? 0 : 1)
  } catch (error) {
    totals.failed++
    process.stderr.write(`the tests did not run to their end: ${error.message}\n`)
  }
}
