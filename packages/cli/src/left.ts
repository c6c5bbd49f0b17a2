/**
 * What a game could not deliver before it ended. Who recorded it waits for the take, so it is brought in at once; Lapsus
 * itself may be on another machine, and another run of the game may never come.
 */
import { existsSync, lstatSync, readdirSync, readFileSync, renameSync, rmSync } from 'node:fs'
import { constants } from 'node:os'
import { join } from 'node:path'
import { setTimeout as pause } from 'node:timers/promises'
import { gzipSync } from 'node:zlib'
import type { Problem } from '@lapsus/api'
import {
  afterRefusal,
  INGEST_PATH,
  readSpoolName,
  SPOOL_KEY as KEY,
  SPOOL_REFUSED as REFUSED,
  SPOOL_TAKEN as TAKEN,
  spooledRecords,
} from '@lapsus/core/format'
import { userState } from './user-state.ts'

const SIGNALS = ['SIGINT', 'SIGTERM', 'SIGHUP'] as const
/** A busy Lapsus is waited for so long, in all. */
const PATIENCE_MS = 30_000
const REQUEST_MS = 10_000
const AGAIN_MS = 250
const BODY_BYTES = 2 ** 20

const spoolFolder = () => process.env['LAPSUS_SPOOL'] || join(userState(), 'spool')

/** Spool files of a take are stored, and removed; one that is not is kept, and told. */
export async function bringInLeft(address: string, take: string): Promise<void> {
  const deadlineMs = Date.now() + PATIENCE_MS
  const folder = spoolFolder()
  const url = `${address}${INGEST_PATH}/${take}`
  let taken: string | null = null
  const giveBack = (signal: (typeof SIGNALS)[number]) => {
    if (taken !== null) hasMoved(taken + TAKEN, taken)
    // As shells say it of a program that a signal has ended.
    process.exit(128 + constants.signals[signal])
  }
  for (const signal of SIGNALS) process.once(signal, giveBack)
  try {
    for (const file of filesOf(take, folder)) {
      const path = join(folder, file)
      if (!(await mayTake(path, deadlineMs))) continue
      taken = path
      await bringIn(path, url, readSpoolName(file)?.lines === true, deadlineMs)
      taken = null
    }
  } finally {
    for (const signal of SIGNALS) process.removeListener(signal, giveBack)
  }
}

/** A game may have left several: records that were refused in between, or several writers of one take. */
function filesOf(take: string, folder: string): string[] {
  const names = existsSync(folder) ? readdirSync(folder) : []
  const files = names.map((name) => (name.endsWith(TAKEN) ? name.slice(0, -TAKEN.length) : name))
  const isOwn = (file: string) => readSpoolName(file)?.take === take && isFile(folder, file)
  return [...new Set(files)].filter(isOwn)
}

/** A pipe of that name would hold whoever reads it. */
const isFile = (folder: string, file: string): boolean =>
  [file, file + TAKEN].some((name) => lstatSync(join(folder, name), { throwIfNoEntry: false })?.isFile())

/** The key that the game was to be let in with. */
const keyOf = (path: string): string | undefined =>
  existsSync(path + KEY) ? readFileSync(path + KEY, 'utf8') : undefined

/** Whoever renames it has it. A Lapsus on this machine that was quicker is waited for. */
async function mayTake(path: string, deadlineMs: number): Promise<boolean> {
  for (;;) {
    if (hasMoved(path, path + TAKEN)) return true
    if (!existsSync(path + TAKEN) || Date.now() > deadlineMs) return false
    await pause(AGAIN_MS)
  }
}

async function bringIn(path: string, url: string, isLines: boolean, deadlineMs: number): Promise<void> {
  try {
    const key = process.env['LAPSUS_KEY'] || keyOf(path)
    for (const body of bodies(readFileSync(path + TAKEN), isLines)) await deliver(url, body, key, deadlineMs)
    for (const ending of [TAKEN, KEY]) rmSync(path + ending, { force: true })
    console.error('lapsus: brought in what the game could not deliver')
  } catch (error) {
    const kept = error instanceof Refusal ? path + REFUSED : path
    hasMoved(path + TAKEN, kept)
    console.error(`lapsus: what the game could not deliver is kept in ${kept}: ${(error as Error).message}`)
  }
}

function hasMoved(from: string, to: string): boolean {
  try {
    renameSync(from, to)
    return true
  } catch {
    return false
  }
}

/** The take's own record goes before those of each body; a file that is cut gives its whole ones. */
function* bodies(file: Uint8Array, isLines: boolean): Generator<Uint8Array> {
  const [head, ...records] = isLines ? linesIn(file) : spooledRecords(file)
  if (head === undefined) return
  let body = [head]
  let size = 0
  for (const record of records) {
    if (size > 0 && size + record.length > BODY_BYTES) {
      yield Buffer.concat(body)
      body = [head]
      size = 0
    }
    body.push(record)
    size += record.length
  }
  if (size > 0) yield Buffer.concat(body)
}

function* linesIn(file: Uint8Array): Generator<Uint8Array> {
  for (let at = 0, end; (end = file.indexOf(0x0a, at) + 1) > 0; at = end) yield file.subarray(at, end)
}

/** Said by the server of what it will never store. */
class Refusal extends Error {}

/** @throws Refusal where it is of no use to send the same again, Error where the time is over */
async function deliver(
  url: string,
  body: Uint8Array,
  key: string | undefined,
  deadlineMs: number,
): Promise<void> {
  const headers = { 'content-encoding': 'gzip', ...(key && { authorization: `Bearer ${key}` }) }
  const packed = gzipSync(body, { level: 1 })
  for (;;) {
    const signal = AbortSignal.timeout(REQUEST_MS)
    const response = await fetch(url, { method: 'POST', headers, body: packed as BodyInit, signal }).catch(
      (error: Error) => error,
    )
    const why = response instanceof Error ? response.message : await whyNot(response)
    if (why === null) return
    if (Date.now() > deadlineMs) throw new Error(why)
    await pause(AGAIN_MS)
  }
}

/** @returns null where it is stored */
async function whyNot(response: Response): Promise<string | null> {
  const { ok, status } = response
  // To its end: the connection is used again.
  const answer = (await response.json().catch(() => null)) as Problem | null
  if (ok) return null
  const why = answer?.detail ?? `the server answered ${status}`
  const then = afterRefusal(answer?.code ?? '')
  if (then === 'set-aside' || then === 'drop') throw new Refusal(why)
  if (then === 'keep') throw new Error(why)
  return why
}
