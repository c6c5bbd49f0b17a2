import { configFromEnvironment, WrongSetting, type ServerConfig } from './config.ts'
import { UnusableDatabase } from './store/connection.ts'
import { createLog } from './log.ts'
import { startServer, type RunningServer } from './server.ts'

/** Exit codes that the supervisor knows: what is wrong must be mended by hand, or will do after a new start. */
const WRONG_SETTING = 78
const CRASHED = 70
/** What is open is answered and committed for at most so long; less after a crash. */
const STOP_PATIENCE_MS = 15_000
const CRASH_PATIENCE_MS = 5_000

const config = read()
const log = createLog(config.logLevel, config.logFile)
let server: RunningServer | null = null
let ending = false

// The last resort: whatever was overlooked is logged, what is open is answered, and the supervisor starts anew.
for (const event of ['uncaughtException', 'unhandledRejection'] as const) {
  process.on(event, (error: unknown) => {
    log.fatal({ err: error }, 'unhandled failure')
    void end('unhandled failure', CRASHED, CRASH_PATIENCE_MS)
  })
}
for (const signal of ['SIGINT', 'SIGTERM'] as const) process.on(signal, () => void end(signal, 0))
// The supervisor is gone: nobody would stop this process any more.
process.on('disconnect', () => void end('supervisor gone', 0))

try {
  server = await startServer(config, log)
  process.send?.({ address: server.address })
} catch (error) {
  if (!(error instanceof WrongSetting) && !(error instanceof UnusableDatabase)) throw error
  log.fatal(error.message)
  await written()
  complain(error.message, error instanceof UnusableDatabase)
}

async function end(reason: string, code: number, patienceMs = STOP_PATIENCE_MS): Promise<void> {
  if (ending) return
  ending = true
  setTimeout(() => process.exit(code), patienceMs)
  log.info({ reason }, 'stopping')
  await server?.stop().catch((error: unknown) => log.error({ err: error }, 'did not stop in good order'))
  await written()
  process.exit(code)
}

/** What the log has been told is in its file. */
function written(): Promise<void> {
  return new Promise((resolve) => log.flush(() => resolve()))
}

function read(): ServerConfig {
  try {
    return configFromEnvironment(process.env)
  } catch (error) {
    if (error instanceof WrongSetting) complain(error.message)
    throw error
  }
}

/** One line for whoever started the server; the supervisor shows it. @param mayPass a new start may do */
function complain(message: string, mayPass = false): never {
  process.send?.({ problem: message, mayPass })
  process.stderr.write(`${message}\n`)
  process.exit(WRONG_SETTING)
}
