/** `npm start`: sets up whatever is missing, then runs database and server until told to stop. */
import { join } from 'node:path'
import { ensureBuilt } from './setup/build.mjs'
import { startDatabase } from './setup/database.mjs'
import { ensurePrograms, MARIADB } from './setup/debian.mjs'
import { ensureFirstTake } from './setup/first-take.mjs'
import { claim } from './setup/lock.mjs'
import { checkNode, ensurePackages } from './setup/packages.mjs'
import { choosePort, startServer } from './setup/product.mjs'
import { STATE } from './setup/root.mjs'
import { runMain, say, SetupError } from './setup/say.mjs'

await runMain(async () => {
  checkNode()
  const lock = claim()
  const running = []
  let stopping = null

  /** Ends everything in order, once; whoever asks first gives the exit code. */
  const stop = (reason, code) => {
    stopping ??= (async () => {
      say(`${reason}: stopping`)
      for (const part of running.reverse()) await part.stop()
      lock.release()
      say('stopped')
      process.exit(code)
    })()
    return stopping
  }
  for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP']) process.on(signal, () => void stop(signal, 0))

  try {
    const given = process.env.DATABASE_URL
    if (given === undefined) ensurePrograms(MARIADB)
    ensurePackages()
    await ensureBuilt()
    const database =
      given === undefined ? await startDatabase(join(STATE, 'mariadb')) : { url: given, stop: async () => {} }
    if (given !== undefined) say('database: the one DATABASE_URL names')
    running.push(database)
    const server = await startServer(database.url, await choosePort())
    running.push(server)
    void server.exited.then((code) => stop(`the server ended with code ${code}`, 1))
    lock.announce(server.address)
    await ensureFirstTake(server.address)
    say('ready; Ctrl-C stops it')
    process.stdout.write(`\nLapsus is at ${server.address}\n\n`)
  } catch (error) {
    if (stopping !== null) return stopping
    process.stderr.write(`\n${error instanceof SetupError ? error.message : error.stack}\n`)
    await stop('start failed', 1)
  }
})
