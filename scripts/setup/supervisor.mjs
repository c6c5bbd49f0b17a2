/** Runs parts that depend on each other, and stops them in reverse order, once, whoever asks. */
import { claim } from './lock.mjs'
import { checkNode } from './packages.mjs'
import { runMain, say, SetupError } from './say.mjs'

const SIGNALS = ['SIGINT', 'SIGTERM', 'SIGHUP']

/**
 * Claims this checkout and runs `main({ begin, stop, announce, stopping })`:
 * - `begin(start)` starts a part, something with a `stop()`, that has to be stopped again
 * - `stop(reason, exitCode)` stops all parts and ends the process
 * - `announce(address)` says where the product is
 * - `stopping()` tells whether a stop is under way, after which nothing should be begun
 */
export async function supervise(main) {
  await runMain(async () => {
    checkNode()
    let lock = null
    const running = []
    let ended = null
    let beginning = Promise.resolve()

    const begin = (start) => {
      const begun = start().then((part) => {
        running.push(part)
        return part
      })
      // A stop that comes meanwhile waits for it.
      beginning = begun.catch(() => {})
      return begun
    }
    const stop = (reason, exitCode) => {
      ended ??= (async () => {
        say(`${reason}: stopping`)
        await beginning
        for (const part of running.reverse()) await part.stop()
        lock?.release()
        say('stopped')
        process.exit(exitCode)
      })()
      return ended
    }
    for (const signal of SIGNALS) process.on(signal, () => void stop(signal, 0))

    lock = claim()
    try {
      await main({ begin, stop, announce: lock.announce, stopping: () => ended !== null })
    } catch (error) {
      if (ended !== null) return ended
      process.stderr.write(`\n${error instanceof SetupError ? error.message : error.stack}\n`)
      await stop('start failed', 1)
    }
  })
}
