/** Runs parts that depend on each other: starts again what ends by itself, and stops all in reverse order, once. */
import { claim } from './lock.mjs'
import { checkNode } from './packages.mjs'
import { pauseAfter } from './restarts.mjs'
import { runMain, say, SetupError } from './say.mjs'

const SIGNALS = ['SIGINT', 'SIGTERM', 'SIGHUP']

/**
 * Claims this checkout and runs `main({ keep, stop, announce, stopping })`:
 * - `keep(name, start, log)` starts a part, something with `stop()` and `exited`, and starts it again when it ends by
 *   itself: with a pause that grows, until it has ended too often; `log` is named then. The same where it does not
 *   begin, if `isPassing(error)`. Resolves to `{ part(), renew() }`: the one that runs now, and a way to have it stopped and started anew
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

    const stopping = () => ended !== null
    const begin = (start, take) => {
      const begun = start().then(take)
      // A stop that comes meanwhile waits for it, and for its being known.
      beginning = Promise.all([beginning, begun.catch(() => {})])
      return begun
    }
    const stop = (reason, exitCode) => {
      ended ??= (async () => {
        say(`${reason}: stopping`)
        await beginning
        for (const kept of running.reverse()) await kept.part().stop()
        lock?.release()
        say('stopped')
        process.exit(exitCode)
      })()
      return ended
    }
    const keep = async (name, start, log, isPassing = () => false) => {
      const endedMs = []
      let part = null
      let renewing = false
      const renew = async () => {
        renewing = true
        await part.stop()
      }
      const kept = { part: () => part, renew }
      const take = (begun) => {
        if (part === null) running.push(kept)
        part = begun
      }
      const beginFirst = async () => {
        try {
          await begin(start, take)
        } catch (error) {
          endedMs.push(Date.now())
          const pauseMs = pauseAfter(endedMs)
          if (stopping() || pauseMs === null || !isPassing(error)) throw error
          say(`${name} did not begin: trying again in ${pauseMs / 1000} s`)
          await new Promise((resolve) => setTimeout(resolve, pauseMs))
          await beginFirst()
        }
      }
      await beginFirst()
      const watch = () => void part.exited.then(again)
      const again = async (code) => {
        if (stopping()) return
        if (!renewing) endedMs.push(Date.now())
        const pauseMs = renewing ? 0 : pauseAfter(endedMs)
        renewing = false
        if (pauseMs === null) {
          await stop(`${name} ended ${endedMs.length} times, last with code ${code}; see ${log}`, 1)
          return
        }
        if (pauseMs > 0) say(`${name} ended with code ${code}: starting it again in ${pauseMs / 1000} s`)
        await new Promise((resolve) => setTimeout(resolve, pauseMs))
        if (stopping()) return
        try {
          await begin(start, take)
          watch()
        } catch (error) {
          say(`${name} did not start: ${error instanceof SetupError ? error.message : error.stack}`)
          await again(1)
        }
      }
      watch()
      return kept
    }
    for (const signal of SIGNALS) process.on(signal, () => void stop(signal, 0))

    lock = claim()
    try {
      await main({ keep, stop, announce: lock.announce, stopping })
    } catch (error) {
      if (ended !== null) return ended
      process.stderr.write(`\n${error instanceof SetupError ? error.message : error.stack}\n`)
      await stop('start failed', 1)
    }
  })
}
