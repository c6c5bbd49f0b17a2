/** `npm run coverage`: which lines of the packages the tests reach; the pages that a browser runs are left out. */
import { join } from 'node:path'
import { ensureBuilt } from './setup/build.mjs'
import { CHROMIUM, ensurePrograms, findProgram, MARIADB } from './setup/debian.mjs'
import { checkNode, ensurePackages } from './setup/packages.mjs'
import { ROOT } from './setup/root.mjs'
import { run } from './setup/run.mjs'
import { runMain } from './setup/say.mjs'
import { withTemporaryDatabase } from './setup/temporary-database.mjs'

await runMain(async () => {
  checkNode()
  ensurePrograms([...MARIADB, ...CHROMIUM])
  ensurePackages()
  await ensureBuilt()
  const bin = (name) => join(ROOT, 'node_modules/.bin', name)
  const include = ['core', 'api', 'probe', 'server', 'cli'].map((name) => `--include=packages/${name}/src/**`)
  const files = process.argv.slice(2)
  const tests =
    files.length > 0
      ? [
          '--no-config',
          '--require=./scripts/setup/own-state.mjs',
          '--node-option=import=tsx',
          '--node-option=expose-gc',
          '--timeout=60000',
          ...files,
        ]
      : []
  process.exitCode = await withTemporaryDatabase((url) =>
    run(bin('c8'), [...include, '--reporter=text', '--reporter=html', bin('mocha'), ...tests], {
      env: { TEST_DATABASE_URL: url, TEST_CHROMIUM: findProgram('chromium'), NODE_ENV: 'test' },
    }),
  )
})
