import { accessSync, constants, existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { homedir } from 'node:os'
import { dirname, join } from 'node:path'
import { startTicks } from './processes.mjs'
import { STATE } from './root.mjs'
import { SetupError, say } from './say.mjs'

const FILE = join(STATE, 'running.json')
/** The same for command lines that lie elsewhere. */
const USERS_FILE = join(
  process.env.XDG_STATE_HOME || join(homedir(), '.local', 'state'),
  'lapsus',
  'running.json',
)

/** Claims this checkout for the calling process; a claim whose process is gone is taken over. */
export function claim() {
  makeState()
  const mine = { pid: process.pid, ticks: startTicks(process.pid), address: null }
  try {
    writeFileSync(FILE, JSON.stringify(mine), { flag: 'wx' })
  } catch (error) {
    if (error.code !== 'EEXIST') throw error
    const other = readClaim(FILE)
    if (other !== null && startTicks(other.pid) === other.ticks) {
      const where = other.address === null ? 'and still starting' : `at ${other.address}`
      throw new SetupError(`Lapsus is already running ${where} (process ${other.pid}). Nothing was changed.`)
    }
    say('a run before this one was killed: cleaning up after it')
    writeFileSync(FILE, JSON.stringify(mine))
  }
  return {
    announce(address) {
      writeFileSync(FILE, JSON.stringify({ ...mine, address }))
      remember({ ...mine, address })
    },
    release() {
      rmSync(FILE, { force: true })
      forget()
    },
  }
}

function remember(claimed) {
  try {
    mkdirSync(dirname(USERS_FILE), { recursive: true, mode: 0o700 })
    writeFileSync(USERS_FILE, JSON.stringify(claimed))
  } catch {
    // Nothing hangs on it: LAPSUS_URL says the address as well.
  }
}

/** Another Lapsus of this user may have been started since. */
function forget() {
  if (readClaim(USERS_FILE)?.pid === process.pid) rmSync(USERS_FILE, { force: true })
}

function makeState() {
  try {
    mkdirSync(STATE, { recursive: true, mode: 0o700 })
    accessSync(STATE, constants.R_OK | constants.W_OK | constants.X_OK)
  } catch (error) {
    throw new SetupError(
      `The state folder ${STATE} cannot be written (${error.code}): set LAPSUS_STATE to another.`,
    )
  }
}

function readClaim(file) {
  if (!existsSync(file)) return null
  try {
    return JSON.parse(readFileSync(file, 'utf8'))
  } catch {
    return null
  }
}
