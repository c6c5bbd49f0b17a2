import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { startDatabase } from './database.mjs'

/** Runs `work(url)` beside a MariaDB of its own, and leaves nothing behind, whatever happens. */
export async function withTemporaryDatabase(work) {
  const folder = mkdtempSync(join(tmpdir(), 'lapsus-db-'))
  let database = null
  const cleanUp = async () => {
    await database?.stop()
    database = null
    rmSync(folder, { recursive: true, force: true })
  }
  // The last resort, when this process ends without coming back here.
  const onExit = () => {
    if (database !== null) process.kill(database.pid, 'SIGKILL')
    rmSync(folder, { recursive: true, force: true })
  }
  const onSignal = (signal) => void cleanUp().then(() => process.exit(signal === 'SIGINT' ? 130 : 143))
  process.once('exit', onExit)
  process.once('SIGINT', onSignal)
  process.once('SIGTERM', onSignal)
  try {
    database = await startDatabase(folder)
    return await work(database.url)
  } finally {
    process.removeListener('SIGINT', onSignal)
    process.removeListener('SIGTERM', onSignal)
    await cleanUp()
    process.removeListener('exit', onExit)
  }
}
