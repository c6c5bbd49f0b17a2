/** Node: what could not be delivered before the process ended is written to a file, and sent next time. */
import { lstatSync, mkdirSync, readdirSync, readFileSync, renameSync, rmSync, writeFileSync } from 'node:fs'
import { homedir } from 'node:os'
import { join } from 'node:path'
import {
  readSpoolName,
  SPOOL_KEY as KEY,
  SPOOL_REFUSED as REFUSED,
  SPOOL_TAKEN as TAKEN,
  spooledRecords,
  spoolName,
} from '@lapsus/core/format'
import { safely } from './given.ts'
import type { ProblemListener } from './sinks/sink.ts'
import {
  WebSocketSink,
  type Connect,
  type Outcome,
  type Socket,
  type Undelivered,
} from './sinks/websocket.ts'

/** Where spool files are: known to games and to Lapsus, so that either finds them. */
const spoolFolder = (env: NodeJS.ProcessEnv): string =>
  env['LAPSUS_SPOOL'] || join(env['XDG_STATE_HOME'] || join(homedir(), '.local', 'state'), 'lapsus', 'spool')

const addressOf = (url: string): { host: string; port: number } => {
  const { hostname, port, protocol } = new URL(url)
  return { host: hostname, port: Number(port || (protocol === 'wss:' ? 443 : 80)) }
}

/** For nobody else to read. */
const PRIVATE = { mode: 0o600 }

export interface Recorded {
  /** That it began with. */
  take: string
  writer: string
  key: string | undefined
}

/** Writes a spool file at once. @returns its path, null when it cannot be written */
export function writeSpool(
  url: string,
  { take, writer, key }: Recorded,
  { take: renewed, head, isRefused, records }: Undelivered,
): string | null {
  return safely(() => {
    const folder = spoolFolder(process.env)
    mkdirSync(folder, { recursive: true, mode: 0o700 })
    const first = records[0]?.sequence ?? 1
    const path = join(folder, spoolName({ ...addressOf(url), take: renewed ?? take, writer, first }))
    // What it was to be let in with: whoever takes it up shows it again.
    if (key !== undefined && key !== '') writeFileSync(path + KEY, key, PRIVATE)
    // Whole under its name, or not there at all.
    const whole = isRefused ? path + REFUSED : path
    writeFileSync(`${path}.new`, Buffer.concat([head, ...records.map(({ bytes }) => bytes)]), PRIVATE)
    renameSync(`${path}.new`, whole)
    return whole
  }, null)
}

/** @param key undefined for the game's own */
type ConnectWith = (key: string | undefined, url: string, protocol: string) => Socket

/** Sends what earlier runs left for the same address, one file after the other. Never holds the process. */
export async function sendSpooled(
  url: string,
  connectWith: ConnectWith,
  onProblem: ProblemListener,
): Promise<void> {
  const folder = spoolFolder(process.env)
  const { host, port } = addressOf(url)
  for (const file of safely(() => readdirSync(folder), [])) {
    const name = readSpoolName(file)
    // Lines of JSON are for Lapsus itself.
    if (name === null || name.lines || name.host !== host || name.port !== port) continue
    const path = join(folder, file)
    // Whoever renames it has it: two games may start at once.
    const isMine = safely(() => (isFile(path) && renameSync(path, path + TAKEN), isFile(path + TAKEN)), false)
    if (!isMine) continue
    const key = safely(() => readFileSync(path + KEY, 'utf8'), undefined)
    const connect: Connect = (to, protocol) => connectWith(key, to, protocol)
    const outcome = await deliver(readFileSync(path + TAKEN), name.first, url, connect, onProblem).catch(
      () => 'undelivered' as const,
    )
    safely(() => putAway(path, outcome), undefined)
    if (outcome === 'refused') onProblem(`Lapsus: what an earlier run left is kept in ${path}${REFUSED}`)
  }
}

/** What stands under a name may be anything: a pipe would hold whoever reads it. */
const isFile = (path: string): boolean => lstatSync(path, { throwIfNoEntry: false })?.isFile() === true

/** Nothing is removed that is not committed somewhere, or that somebody has discarded. */
function putAway(path: string, outcome: Outcome): void {
  if (outcome === 'delivered' || outcome === 'dropped') {
    rmSync(path + TAKEN)
    rmSync(path + KEY, { force: true })
  } else renameSync(path + TAKEN, outcome === 'refused' ? path + REFUSED : path)
}

async function deliver(
  file: Uint8Array,
  first: number,
  url: string,
  connect: Connect,
  onProblem: ProblemListener,
): Promise<Outcome> {
  const sink = new WebSocketSink([url], connect, Infinity, onProblem, () => 'its file')
  let sequence = 0
  for (const record of spooledRecords(file)) {
    sink.put(record, sequence)
    sequence = sequence === 0 ? first : sequence + 1
  }
  if (sequence > 0) await sink.close()
  return sink.outcome
}
