/**
 * `npm test`: sets up whatever is missing, then type check, lint, format and all tests; `-- --busy N` beside so many
 * endless loops, as on a machine that has little time.
 */
import { spawn } from 'node:child_process'
import { mkdtempSync, readFileSync, rmSync } from 'node:fs'
import { availableParallelism, tmpdir } from 'node:os'
import { join } from 'node:path'
import { parseArgs } from 'node:util'
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

/** The long ones first, so that no core waits for the other at the end. */
const TESTS = [
  'packages/web/test/**/*.test.ts',
  'test/{,faults/}*.test.ts',
  'games/*/test/**/*.test.ts',
  'packages/{cli,server,probe}/test/**/*.test.ts',
  'packages/{api,core}/test/**/*.test.ts',
]
/** Far more than they take: tests that do not come to an end must fail, not stand. */
const MOST_TEST_MS = 45 * 60_000

const REPORTER = 'scripts/setup/counting-reporter.cjs'

const { values: options } = parseArgs({ options: { busy: { type: 'string', default: '0' } } })

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

/**
 * As many files at once as there are cores, beside a database of their own; mocha's reporter leaves the outcome in a
 * file.
 */
async function runTests() {
  const folder = mkdtempSync(join(tmpdir(), 'lapsus-test-'))
  const outcome = join(folder, 'outcome.json')
  const args = ['--parallel', '--jobs', `${availableParallelism()}`]
  const loops = Array.from({ length: Number(options.busy) }, () =>
    spawn(process.execPath, ['-e', 'for (;;);'], { stdio: 'ignore' }),
  )
  try {
    const code = await withTemporaryDatabase((url) =>
      run(join(ROOT, 'node_modules/.bin/mocha'), [...args, '--reporter', REPORTER, ...TESTS], {
        mostMs: MOST_TEST_MS,
        env: {
          TEST_DATABASE_URL: url,
          TEST_CHROMIUM: findProgram('chromium'),
          TEST_OUTCOME: outcome,
          NODE_ENV: 'test',
        },
      }),
    )
    const { passes, failures, pending } = JSON.parse(readFileSync(outcome, 'utf8'))
    totals.passed += passes
    totals.skipped += pending
    // A run that broke off outside any test must not pass.
    totals.failed += Math.max(failures, code === 0 ? 0 : 1)
  } catch (error) {
    totals.failed++
    process.stderr.write(`the tests did not run to their end: ${error.message}\n`)
  } finally {
    for (const loop of loops) loop.kill()
    rmSync(folder, { recursive: true, force: true })
  }
}
