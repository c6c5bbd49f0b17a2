/** Takes up what games on this machine could not deliver before they ended. */
import { existsSync, readdirSync, readFileSync, renameSync, rmSync, statSync } from 'node:fs'
import { join } from 'node:path'
import { setTimeout as pause } from 'node:timers/promises'
import { postedRecords } from '@lapsus/core/exchange'
import {
  decodeRecord,
  FormatError,
  readSpoolName,
  SPOOL_REFUSED as REFUSED,
  SPOOL_TAKEN as TAKEN,
  spooledRecords,
  type AnyRecord,
  type FollowingRecord,
} from '@lapsus/core/format'
import type { Logger } from 'pino'
import type { Store } from '../store/store.ts'
import { finishTake } from './finish.ts'
import { identify } from './identity.ts'
import { TakeWriter } from './take-writer.ts'

const LOOPBACK = ['127.0.0.1', 'localhost', '[::1]']
const LINE_FEED = 0x0a
/** Whoever posted records and was not answered in time leaves them, though they may be on their way to the tables. */
const SETTLED_MS = 5_000
/** What a game left that has ended is waited for so long, where somebody else is at it, or it cannot be stored yet. */
const ENDED_PATIENCE_MS = 10_000
const AGAIN_MS = 500

export interface SpoolAsk {
  folder: string
  /** Names of spool files, without the mark of those that are taken. */
  files: string[]
}

/** The spool files that are meant for a server on this machine. */
export class Spool {
  readonly #folder: string
  readonly #port: number
  readonly #store: (ask: SpoolAsk) => Promise<string[]>
  /** Could not be stored: for the next start, or the next game. */
  readonly #failed = new Set<string>()

  /** @param store gives the names of those that it has stored */
  constructor(folder: string, port: number, store: (ask: SpoolAsk) => Promise<string[]>) {
    this.#folder = folder
    this.#port = port
    this.#store = store
  }

  /**
   * Has those that wait stored and removed.
   * @param isStart those, too, that somebody had taken, and then ended over them: twice changes nothing
   * @returns how many there were
   */
  async takeUp(isStart = false): Promise<number> {
    const isDue = (file: string) => isStart || this.#hasSettled(file)
    const files = this.#namesIn(isStart).filter((file) => !this.#failed.has(file) && isDue(file))
    if (files.length === 0) return 0
    const stored = await this.#store({ folder: this.#folder, files })
    for (const file of files) if (!stored.includes(file)) this.#failed.add(file)
    return stored.length
  }

  /** The same, at once, for a take whose game has ended. */
  async takeUpOf(take: string): Promise<void> {
    const deadlineMs = Date.now() + ENDED_PATIENCE_MS
    const isOwn = (file: string) => readSpoolName(file)!.take === take
    while (this.#namesIn(true).some(isOwn) && Date.now() < deadlineMs) {
      const files = this.#namesIn(false).filter(isOwn)
      const stored = files.length > 0 ? await this.#store({ folder: this.#folder, files }) : []
      if (stored.length < files.length || files.length === 0) await pause(AGAIN_MS)
    }
  }

  #namesIn(alsoTaken: boolean): string[] {
    try {
      return readdirSync(this.#folder)
        .map((file) => (alsoTaken && file.endsWith(TAKEN) ? file.slice(0, -TAKEN.length) : file))
        .filter((file) => {
          const name = readSpoolName(file)
          return name?.port === this.#port && LOOPBACK.includes(name.host)
        })
    } catch {
      return []
    }
  }

  #hasSettled(file: string): boolean {
    const { mtimeMs = Infinity } = statSync(join(this.#folder, file), { throwIfNoEntry: false }) ?? {}
    return Date.now() - mtimeMs > SETTLED_MS
  }
}

/**
 * Stores spool files, and removes them.
 * @returns the names of those that are stored
 */
export async function storeSpooled(
  store: Store,
  log: Logger,
  { folder, files }: SpoolAsk,
): Promise<string[]> {
  const stored: string[] = []
  for (const name of files) {
    const path = join(folder, name)
    const { take, lines } = readSpoolName(name)!
    try {
      // Whoever renames it has it: a game that starts at this moment looks for it too.
      if (!existsSync(path + TAKEN)) renameSync(path, path + TAKEN)
    } catch {
      continue
    }
    try {
      const file = readFileSync(path + TAKEN)
      await storeRecords(store, lines ? linesIn(file) : recordsIn(file))
      rmSync(path + TAKEN)
      stored.push(name)
    } catch (error) {
      log.error({ err: error, take }, 'a spool file could not be stored')
      // One that breaks the format will not get better; it is kept for whoever wants to look at it.
      renameSync(path + TAKEN, error instanceof FormatError ? path + REFUSED : path)
    }
  }
  return stored
}

function* recordsIn(file: Uint8Array): Generator<AnyRecord> {
  let place = { record: 0, offset: 0 }
  for (const bytes of spooledRecords(file)) {
    yield decodeRecord(bytes, place)
    place = { record: place.record + 1, offset: place.offset + bytes.length }
  }
}

/** A file that is cut gives its whole lines. */
function* linesIn(file: Uint8Array): Generator<AnyRecord> {
  for (const { record } of postedRecords(file.subarray(0, file.lastIndexOf(LINE_FEED) + 1))) yield record
}

/** @throws FormatError where they do not begin with a take's own */
async function storeRecords(store: Store, records: Iterable<AnyRecord>): Promise<void> {
  let writer: TakeWriter | null = null
  let state: 'complete' | 'cut-short' = 'cut-short'
  for (const record of records) {
    if (writer !== null) await writer.write(record as FollowingRecord)
    else if (record.record === 'take') writer = await TakeWriter.goOn(store, await identify(store, record))
    else break
    if (record.record === 'end') state = 'complete'
  }
  if (writer === null) throw new FormatError('not-a-take', 'the first record is another, or there is none')
  await writer.settled()
  await finishTake(store, writer.takeId, state)
}
