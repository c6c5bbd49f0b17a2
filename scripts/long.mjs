/**
 * `npm run test:long`: the tests that have a long form, in that form: every flaw of the demo game, hundreds of simulated
 * takes. Takes some minutes; crashes and hostile input have `npm run test:faults`.
 */
import { readdirSync, readFileSync } from 'node:fs'
import { availableParallelism } from 'node:os'
import { join } from 'node:path'
import { ensureBuilt } from './setup/build.mjs'
import { ensurePrograms, LANGUAGES, MARIADB } from './setup/debian.mjs'
import { checkNode, ensurePackages } from './setup/packages.mjs'
import { ROOT } from './setup/root.mjs'
import { run } from './setup/run.mjs'
import { runMain } from './setup/say.mjs'
import { withTemporaryDatabase } from './setup/temporary-database.mjs'

await runMain(async () => {
  checkNode()
  ensurePrograms([...MARIADB, ...LANGUAGES])
  ensurePackages()
  await ensureBuilt()
  const files = [...['packages', 'games'].flatMap(testsBelow), ...testsAcross()].filter((file) =>
    textOf(file).includes('isLong'),
  )
  process.exitCode = await withTemporaryDatabase((url) =>
    run(
      join(ROOT, 'node_modules/.bin/mocha'),
      ['--parallel', '--jobs', `${availableParallelism()}`, ...files],
      {
        env: { TESTS: 'long', TEST_DATABASE_URL: url, NODE_ENV: 'test' },
      },
    ),
  )
})

function textOf(file) {
  return readFileSync(join(ROOT, file), 'utf8')
}

/** What spans packages. */
const testsAcross = () =>
  readdirSync(join(ROOT, 'test'))
    .filter((name) => name.endsWith('.test.ts'))
    .map((name) => join('test', name))

/** Test files of the packages in a folder. */
function testsBelow(folder) {
  return readdirSync(join(ROOT, folder)).flatMap((name) => {
    const tests = join(folder, name, 'test')
    return readdirSync(join(ROOT, tests))
      .filter((file) => file.endsWith('.test.ts'))
      .map((file) => join(tests, file))
  })
}
