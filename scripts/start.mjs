/** `npm start`: sets up whatever is missing, then runs database and server until told to stop. */
import { join } from 'node:path'
import { ensureBuilt } from './setup/build.mjs'
import { startDatabase } from './setup/database.mjs'
import { ensurePrograms, MARIADB } from './setup/debian.mjs'
import { ensureFirstTake } from './setup/first-take.mjs'
import { ensurePackages } from './setup/packages.mjs'
import { choosePort, startServer } from './setup/product.mjs'
import { STATE } from './setup/root.mjs'
import { say } from './setup/say.mjs'
import { supervise } from './setup/supervisor.mjs'

await supervise(async ({ begin, stop, announce, stopping }) => {
  const given = process.env.DATABASE_URL
  if (given === undefined) ensurePrograms(MARIADB)
  ensurePackages()
  await ensureBuilt()
  if (given !== undefined) say('database: the one DATABASE_URL names')
  const database =
    given === undefined ? await begin(() => startDatabase(join(STATE, 'mariadb'))) : { url: given }
  if (stopping()) return
  const port = await choosePort()
  const server = await begin(() => startServer(database.url, port))
  if (stopping()) return
  void server.exited.then((code) => stop(`the server ended with code ${code}`, 1))
  announce(server.address)
  await ensureFirstTake(server.address)
  say('ready; Ctrl-C stops it')
  process.stdout.write(`\nLapsus is at ${server.address}\n\n`)
})
