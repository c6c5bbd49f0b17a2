/** Takes up what games on this machine could not deliver before they ended. */
import { readdirSync, readFileSync, renameSync, rmSync } from 'node:fs'
import { join } from 'node:path'
import { postedRecords } from '@lapsus/core/exchange'
import {
  decodeRecord,
  FormatError,
  readSpoolName,
  spooledRecords,
  type AnyRecord,
  type FollowingRecord,
  type TakeRecord,
} from '@lapsus/core/format'
import type { Logger } from 'pino'
import type { Store } from '../store/store.ts'
import { finishTake } from './finish.ts'
import { identify } from './identity.ts'
import { TakeWriter } from './take-writer.ts'

const LOOPBACK = ['127.0.0.1', 'localhost', '[::1]']
const TAKEN = '.taken'
const LINE_FEED = 0x0a

/**
 * Stores the spool files that are meant for this server, and removes them.
 * @returns how many there were
 */
export async function takeUpSpooled(
  store: Store,
  folder: string,
  port: number,
  log: Logger,
): Promise<number> {
  let count = 0
  for (const file of filesIn(folder)) {
    // One that somebody had taken, and then ended over it, is still to be stored; twice changes nothing.
    const own = file.endsWith(TAKEN) ? file.slice(0, -TAKEN.length) : file
    const name = readSpoolName(own)
    if (name === null || name.port !== port || !LOOPBACK.includes(name.host)) continue
    const path = join(folder, own)
    try {
      // Whoever renames it has it: a game that starts at this moment looks for it too.
      if (own === file) renameSync(path, path + TAKEN)
    } catch {
      continue
    }
    try {
      const file = readFileSync(path + TAKEN)
      await storeRecords(store, name.lines ? linesIn(file) : recordsIn(file))
      rmSync(path + TAKEN)
      count++
    } catch (error) {
      log.error({ err: error, take: name.take }, 'a spool file could not be stored')
      // One that breaks the format will not get better; it is kept for whoever wants to look at it.
      renameSync(path + TAKEN, error instanceof FormatError ? `${path}.refused` : path)
    }
  }
  return count
}

function filesIn(folder: string): string[] {
  try {
    return readdirSync(folder)
  } catch {
    return []
  }
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

async function storeRecords(store: Store, records: Iterable<AnyRecord>): Promise<void> {
  let writer: TakeWriter | null = null
  let state: 'complete' | 'cut-short' = 'cut-short'
  for (const record of records) {
    if (writer === null) writer = await TakeWriter.goOn(store, await identify(store, record as TakeRecord))
    else await writer.write(record as FollowingRecord)
    if (record.record === 'end') state = 'complete'
  }
  await writer?.settled()
  if (writer !== null) await finishTake(store, writer.takeId, state)
}
