/** The server process and the port it is remembered under. */
import { spawn } from 'node:child_process'
import { closeSync, existsSync, openSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { freePort, portIsFree } from './database.mjs'
import { startTicks, stopProcess } from './processes.mjs'
import { ROOT, STATE } from './root.mjs'
import { SetupError, say } from './say.mjs'
import { serverMemory } from './server-memory.mjs'

const DEFAULT_PORT = 4780
export const SERVER_LOG = join(STATE, 'server.log')
/** What the process says beside its log: the runtime's own last words. */
const CRASH_LOG = join(STATE, 'server.crash.log')
const MOST_CRASH_LOG_BYTES = 1024 * 1024
/** Which process the server is: one that outlives its supervisor for a moment still has the port. */
const SERVER_PROCESS = join(STATE, 'server.json')

/** Ends the server of a run that was killed, so that its port is free again. */
export async function stopLeftoverServer() {
  if (!existsSync(SERVER_PROCESS)) return
  const { pid, ticks } = JSON.parse(readFileSync(SERVER_PROCESS, 'utf8'))
  if (startTicks(pid) === ticks) {
    say(`server: stopping process ${pid}, left over from a run that was killed`)
    await stopProcess(pid)
  }
  rmSync(SERVER_PROCESS)
}

/** What a killed run has left may take a while to let go of its port. */
const PORT_PATIENCE_MS = 10_000
const PORT_AGAIN_MS = 200

async function isFreeSoon(port, waits = true) {
  const deadlineMs = Date.now() + (waits ? PORT_PATIENCE_MS : 0)
  while (!(await portIsFree(port))) {
    if (Date.now() >= deadlineMs) return false
    await new Promise((resolve) => setTimeout(resolve, PORT_AGAIN_MS))
  }
  return true
}

/** PORT if given, else the port of last time, else the usual one; another if someone else has it. */
export async function choosePort() {
  if (process.env.PORT) {
    const port = Number(process.env.PORT)
    if (await isFreeSoon(port)) return port
    throw new SetupError(
      `PORT is ${process.env.PORT}, but something else listens there. Choose another or unset it.`,
    )
  }
  const file = join(STATE, 'port')
  const remembered = existsSync(file) ? Number(readFileSync(file, 'utf8')) : DEFAULT_PORT
  const known =
    Number.isInteger(remembered) && remembered > 0 && remembered < 65_536 ? remembered : DEFAULT_PORT
  const port = (await isFreeSoon(known, existsSync(file))) ? known : await freePort()
  if (port !== known) say(`port ${known} is taken by another program: using ${port}`)
  writeFileSync(file, String(port))
  return port
}

/**
 * Starts the server; resolves when it listens.
 * @returns { address, exited, stop() } where `exited` resolves to the exit code whenever it ends
 */
export async function startServer(databaseUrl, port, env = {}) {
  const isLarge = existsSync(CRASH_LOG) && statSync(CRASH_LOG).size > MOST_CRASH_LOG_BYTES
  const log = openSync(CRASH_LOG, isLarge ? 'w' : 'a')
  const child = spawn(
    process.execPath,
    ['--enable-source-maps', join(ROOT, 'packages/server/dist/main.mjs')],
    {
      cwd: ROOT,
      // A group of its own: Ctrl-C reaches the supervisor alone, which stops things in order.
      detached: true,
      stdio: ['ignore', log, log, 'ipc'],
      env: {
        ...serverMemory,
        ...process.env,
        DATABASE_URL: databaseUrl,
        PORT: String(port),
        LAPSUS_LOG: SERVER_LOG,
        ...env,
      },
    },
  )
  closeSync(log)
  writeFileSync(SERVER_PROCESS, JSON.stringify({ pid: child.pid, ticks: startTicks(child.pid) }))
  const exited = new Promise((resolve) => child.once('exit', (code) => resolve(code ?? 1)))
  const address = await Promise.race([
    new Promise((resolve, reject) =>
      child.once('message', (message) => {
        // A setting that is wrong is told in one line; a log would add nothing.
        if (message.problem === undefined) resolve(message.address)
        else reject(failure(message.problem, message.mayPass))
      }),
    ),
    exited.then((code) => {
      throw failure(`The server ended with code ${code}; the end of ${SERVER_LOG}:\n${logTail()}`, true)
    }),
  ])
  say(`server: listening at ${address} (process ${child.pid})`)
  return { address, exited, stop: () => stopProcess(child.pid) }
}

/** @param mayPass whether a new start may do, as where its database was away for a moment */
const failure = (words, mayPass) => Object.assign(new SetupError(words), { mayPass })

const logTail = () =>
  [SERVER_LOG, CRASH_LOG]
    .filter((file) => existsSync(file))
    .flatMap((file) => readFileSync(file, 'utf8').trim().split('\n').slice(-5))
    .join('\n')
