/** node scripts/with-database.mjs COMMAND…: runs a command with TEST_DATABASE_URL set to a MariaDB of its own. */
import { ensurePrograms, MARIADB } from './setup/debian.mjs'
import { run } from './setup/run.mjs'
import { runMain } from './setup/say.mjs'
import { withTemporaryDatabase } from './setup/temporary-database.mjs'

await runMain(async () => {
  ensurePrograms(MARIADB)
  const [command, ...args] = process.argv.slice(2)
  process.exitCode = await withTemporaryDatabase((url) =>
    run(command, args, { env: { TEST_DATABASE_URL: url } }),
  )
})
