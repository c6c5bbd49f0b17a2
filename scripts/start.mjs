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
  let beginning = Promise.resolve()

  /** Begins a part that has to be stopped again; a stop that comes meanwhile waits for it. */
  const begin = (start) => {
    const begun = start().then((part) => {
      running.push(part)
      return part
    })
    beginning = begun.catch(() => {})
    return begun
  }

  /** Ends everything in order, once; whoever asks first gives the exit code. */
  const stop = (reason, code) => {
    stopping ??= (async () => {
      say(`${reason}: stopping`)
      await beginning
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
    if (given !== undefined) say('database: the one DATABASE_URL names')
    const database =
      given === undefined ? await begin(() => startDatabase(join(STATE, 'mariadb'))) : { url: given }
    if (stopping !== null) return stopping
    const port = await choosePort()
    const server = await begin(() => startServer(database.url, port))
    if (stopping !== null) return stopping
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
