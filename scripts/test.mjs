/** `npm test`: sets up whatever is missing, then type check, lint, format and all tests. */
import { mkdtempSync, readFileSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { ensureBuilt } from './setup/build.mjs'
import { BACKUP, C_COMPILER, CHROMIUM, ensurePrograms, findProgram, MARIADB } from './setup/debian.mjs'
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

/** Far more than they take: tests that do not come to an end must fail, not stand. */
const MOST_TEST_MS = 45 * 60_000

const totals = { passed: 0, failed: 0, skipped: 0 }

await runMain(async () => {
  checkNode()
  ensurePrograms([...MARIADB, ...BACKUP, ...CHROMIUM, ...C_COMPILER])
  ensurePackages()
  await ensureBuilt()
  for (const [name, [tool, ...args]] of CHECKS) {
    const good = (await run(join(ROOT, 'node_modules/.bin', tool), args)) === 0
    totals[good ? 'passed' : 'failed']++
    say(`${name}: ${good ? 'passed' : 'failed'}`)
  }
  await runTests()
  const skipped = totals.skipped > 0 ? `, ${totals.skipped} skipped` : ''
  process.stdout.write(`\n${totals.passed} passed, ${totals.failed} failed${skipped}\n`)
  process.exitCode = totals.failed > 0 ? 1 : 0
})

/** Mocha beside a database of its own; its reporter leaves the counts in a file. */
async function runTests() {
  const folder = mkdtempSync(join(tmpdir(), 'lapsus-test-'))
  const counts = join(folder, 'counts.json')
  try {
    const code = await withTemporaryDatabase((url) =>
      run(join(ROOT, 'node_modules/.bin/mocha'), ['--reporter', 'scripts/setup/counting-reporter.cjs'], {
        mostMs: MOST_TEST_MS,
        env: {
          TEST_DATABASE_URL: url,
          TEST_COUNTS: counts,
          TEST_CHROMIUM: findProgram('chromium'),
          NODE_ENV: 'test',
        },
      }),
    )
    const { passes, failures, pending } = JSON.parse(readFileSync(counts, 'utf8'))
    totals.passed += passes
    totals.skipped += pending
    // A run that broke off outside any test must not pass.
    totals.failed += Math.max(failures, code === 0 ? 0 : 1)
  } catch (error) {
    totals.failed++
    process.stderr.write(`the tests did not run to their end: ${error.message}\n`)
  } finally {
    rmSync(folder, { recursive: true, force: true })
  }
}
