/** `npm start`: sets up whatever is missing, then runs database and server until told to stop. */
import { join } from 'node:path'
import { ensureBuiltApart } from './setup/build-apart.mjs'
import { DATABASE_LOG, startDatabase } from './setup/database.mjs'
import { ensurePrograms, MARIADB } from './setup/debian.mjs'
import { ensureFirstTake } from './setup/first-take.mjs'
import { ensurePackages } from './setup/packages.mjs'
import { choosePort, SERVER_LOG, startServer, stopLeftoverServer } from './setup/product.mjs'
import { STATE } from './setup/root.mjs'
import { say } from './setup/say.mjs'
import { checkSettings } from './setup/settings.mjs'
import { supervise } from './setup/supervisor.mjs'

await supervise(async ({ keep, announce, stopping }) => {
  checkSettings(process.env)
  const given = process.env.DATABASE_URL
  if (given === undefined) ensurePrograms(MARIADB)
  ensurePackages()
  ensureBuiltApart()
  if (given !== undefined) say('database: the one DATABASE_URL names')
  const folder = join(STATE, 'mariadb')
  const database =
    given === undefined
      ? await keep('MariaDB', () => startDatabase(folder), join(folder, DATABASE_LOG))
      : { part: () => ({ url: given }) }
  if (stopping()) return
  await stopLeftoverServer()
  const port = await choosePort()
  const env = given === undefined ? { LAPSUS_DATABASE_FOLDER: folder } : {}
  const server = await keep(
    'the server',
    () => startServer(database.part().url, port, env),
    SERVER_LOG,
    // Our own database may end while the server begins; it is started again as well.
    ({ mayPass }) => given === undefined && mayPass,
  )
  if (stopping()) return
  const { address } = server.part()
  announce(address)
  await ensureFirstTake(address)
  say('ready; Ctrl-C stops it')
  process.stdout.write(`\nLapsus is at ${address}\n\n`)
})
