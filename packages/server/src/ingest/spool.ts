/** Takes up what games on this machine could not deliver before they ended. */
import {
  closeSync,
  existsSync,
  lstatSync,
  openSync,
  readdirSync,
  readFileSync,
  readSync,
  renameSync,
  rmSync,
  statSync,
  utimesSync,
} from 'node:fs'
import { join } from 'node:path'
import { setTimeout as pause } from 'node:timers/promises'
import { postedRecords } from '@lapsus/core/exchange'
import {
  decodeRecord,
  FormatError,
  readSpoolName,
  SPOOL_KEY as KEY,
  SPOOL_REFUSED as REFUSED,
  SPOOL_TAKEN as TAKEN,
  spooledRecords,
  type AnyRecord,
  type FollowingRecord,
} from '@lapsus/core/format'
import type { LeftFile } from '@lapsus/api'
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
/** One that could not be stored is tried again after so long at first, each time twice as long, and at the most. */
const FIRST_PAUSE_MS = 5_000
const LONGEST_PAUSE_MS = 5 * 60_000
/** Whoever has taken one says so that often; one of which nobody has said it for so long is anybody's. */
const SAY_TAKEN_MS = 20_000
export const LEFT_LYING_MS = 120_000
/** The take's own record is at the beginning. */
const HEAD_BYTES = 64 * 1024

export interface SpoolAsk {
  folder: string
  /** Names of spool files, without the mark of those that are taken. */
  files: string[]
}

/** Which games a key admits: whether it admits this one. */
export type Admits = (key: string | undefined, game: string) => boolean

/** The spool files that are meant for a server on this machine. */
export class Spool {
  readonly #folder: string
  readonly #port: number
  readonly #admits: Admits
  readonly #store: (ask: SpoolAsk) => Promise<string[]>
  /** Could not be stored: tried again later, each time after a longer while. */
  readonly #failed = new Map<string, { tries: number; atMs: number }>()

  /**
   * @param admits only what its key admits is taken up; the rest waits for somebody who may bring it in
   * @param store gives the names of those that it has stored
   */
  constructor(folder: string, port: number, admits: Admits, store: (ask: SpoolAsk) => Promise<string[]>) {
    this.#folder = folder
    this.#port = port
    this.#admits = admits
    this.#store = store
  }

  /**
   * Has those that wait stored and removed.
   * @param isStart those, too, that somebody had taken, and then ended over them: twice changes nothing
   * @returns how many there were
   */
  async takeUp(isStart = false): Promise<number> {
    const isDue = (file: string) => isStart || (this.#hasSettled(file) && this.#mayTry(file))
    return this.#take(this.#names(isStart).filter((file) => isDue(file) && this.#whyNot(file) === null))
  }

  /** The same, at once, for a take whose game has ended. */
  async takeUpOf(take: string): Promise<void> {
    const deadlineMs = Date.now() + ENDED_PATIENCE_MS
    const isOwn = (file: string) => readSpoolName(file)!.take === take && this.#whyNot(file) === null
    while (this.#names(true).some(isOwn) && Date.now() < deadlineMs) {
      const files = this.#names(false).filter(isOwn)
      const stored = files.length > 0 ? await this.#store({ folder: this.#folder, files }) : []
      if (stored.length < files.length || files.length === 0) await pause(AGAIN_MS)
    }
  }

  /** Those that wait, with the reason. */
  list(): LeftFile[] {
    return this.#names(true).flatMap((file) => {
      const head = this.#headOf(file)
      const stat = this.#statOf(file)
      if (stat === undefined) return []
      const reason =
        this.#whyNot(file) ?? (this.#failed.has(file) ? 'it could not be stored yet' : 'it is being stored')
      const { take } = readSpoolName(file)!
      return [
        { file, take, game: head?.game ?? null, bytes: stat.size, at: stat.mtime.toISOString(), reason },
      ]
    })
  }

  /** Stores one whatever its key. @returns whether it is stored; null where there is none of that name */
  async bringIn(file: string): Promise<boolean | null> {
    if (!this.#names(true).includes(file)) return null
    return (await this.#take([file])) === 1
  }

  /** @returns whether there was one */
  drop(file: string): boolean {
    if (!this.#names(true).includes(file)) return false
    for (const ending of ['', TAKEN, KEY]) rmSync(join(this.#folder, file + ending), { force: true })
    return true
  }

  async #take(files: string[]): Promise<number> {
    if (files.length === 0) return 0
    const stored = await this.#store({ folder: this.#folder, files })
    for (const file of files) {
      if (stored.includes(file)) this.#failed.delete(file)
      else this.#failed.set(file, { tries: (this.#failed.get(file)?.tries ?? 0) + 1, atMs: Date.now() })
    }
    return stored.length
  }

  /** Those that nobody has taken, or has left lying; at the start whoever had one is gone. */
  #names(alsoTaken: boolean): string[] {
    const all = filesIn(this.#folder).flatMap((name) => {
      if (!name.endsWith(TAKEN)) return [name]
      return alsoTaken || this.#isLeftLying(name) ? [name.slice(0, -TAKEN.length)] : []
    })
    return [...new Set(all)].filter((file) => {
      const name = readSpoolName(file)
      return name?.port === this.#port && LOOPBACK.includes(name.host)
    })
  }

  /** Whoever has taken one says so again and again. */
  #isLeftLying(taken: string): boolean {
    const { ctimeMs = Infinity } = statSync(join(this.#folder, taken), { throwIfNoEntry: false }) ?? {}
    return Date.now() - ctimeMs > LEFT_LYING_MS
  }

  #mayTry(file: string): boolean {
    const failed = this.#failed.get(file)
    return (
      failed === undefined ||
      Date.now() - failed.atMs > Math.min(LONGEST_PAUSE_MS, FIRST_PAUSE_MS * 2 ** failed.tries)
    )
  }

  /** Why it is not taken up by itself; null where it is. */
  #whyNot(file: string): string | null {
    const game = this.#headOf(file)?.game
    // What is no take is found out by whoever stores it.
    if (game === undefined) return null
    const key = this.#read(file + KEY)
    if (this.#admits(key?.toString('utf8'), game)) return null
    return key === null ? 'it has no ingest key' : 'its ingest key is wrong, or of another game'
  }

  #headOf(file: string): { game: string } | null {
    const lines = readSpoolName(file)?.lines === true
    const bytes = this.#read(file, HEAD_BYTES) ?? this.#read(file + TAKEN, HEAD_BYTES)
    if (bytes === null) return null
    try {
      for (const { record } of lines ? linesOf(bytes) : spooledIn(bytes))
        return record.record === 'take' ? { game: record.game } : null
    } catch {
      // It breaks the format.
    }
    return null
  }

  #read(name: string, most = HEAD_BYTES): Buffer | null {
    const path = join(this.#folder, name)
    if (!isFile(path)) return null
    try {
      const file = openSync(path, 'r')
      try {
        const bytes = Buffer.alloc(most)
        return bytes.subarray(0, readSync(file, bytes, 0, most, 0))
      } finally {
        closeSync(file)
      }
    } catch {
      return null
    }
  }

  #statOf(file: string) {
    const path = join(this.#folder, file)
    return statSync(path, { throwIfNoEntry: false }) ?? statSync(path + TAKEN, { throwIfNoEntry: false })
  }

  #hasSettled(file: string): boolean {
    const { mtimeMs = Infinity } = this.#statOf(file) ?? {}
    return Date.now() - mtimeMs > SETTLED_MS
  }
}

/** A pipe of that name would hold whoever reads it, and a folder is none. */
const isFile = (path: string): boolean => lstatSync(path, { throwIfNoEntry: false })?.isFile() === true

function filesIn(folder: string): string[] {
  try {
    return readdirSync(folder).filter((name) => isFile(join(folder, name)))
  } catch {
    return []
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
    const stillHere = setInterval(() => sayTaken(path + TAKEN), SAY_TAKEN_MS)
    try {
      sayTaken(path + TAKEN)
      const file = readFileSync(path + TAKEN)
      await storeRecords(store, lines === true ? linesOf(file) : spooledIn(file))
      rmSync(path + TAKEN, { force: true })
      rmSync(path + KEY, { force: true })
      stored.push(name)
    } catch (error) {
      log.error({ err: error, take }, 'a spool file could not be stored')
      // One that breaks the format will not get better; it is kept for whoever wants to look at it.
      giveBack(path, error instanceof FormatError ? path + REFUSED : path)
    } finally {
      clearInterval(stillHere)
    }
  }
  return stored
}

function sayTaken(path: string): void {
  try {
    const now = new Date()
    utimesSync(path, now, now)
  } catch {
    // Somebody removed it.
  }
}

function giveBack(path: string, to: string): void {
  try {
    renameSync(path + TAKEN, to)
  } catch {
    // Somebody removed it.
  }
}

interface SpooledRecord {
  record: AnyRecord
  /** As they came. */
  bytes: Uint8Array
}

function* spooledIn(file: Uint8Array): Generator<SpooledRecord> {
  let place = { record: 0, offset: 0 }
  for (const bytes of spooledRecords(file)) {
    yield { record: decodeRecord(bytes, place), bytes }
    place = { record: place.record + 1, offset: place.offset + bytes.length }
  }
}

/** A file that is cut gives its whole lines. */
const linesOf = (file: Uint8Array) => postedRecords(file.subarray(0, file.lastIndexOf(LINE_FEED) + 1))

/** @throws FormatError where they do not begin with a take's own */
async function storeRecords(store: Store, records: Iterable<SpooledRecord>): Promise<void> {
  let writer: TakeWriter | null = null
  let state: 'complete' | 'cut-short' = 'cut-short'
  for (const { record, bytes } of records) {
    if (writer !== null) await writer.write(record as FollowingRecord, bytes)
    else if (record.record === 'take') writer = await TakeWriter.goOn(store, await identify(store, record))
    else break
    if (record.record === 'end') state = 'complete'
  }
  if (writer === null) throw new FormatError('not-a-take', 'the first record is another, or there is none')
  await writer.settled()
  await finishTake(store, writer.takeId, state)
}
