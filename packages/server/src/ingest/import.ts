import { randomUUID } from 'node:crypto'
import { PassThrough, pipeline, Readable } from 'node:stream'
import { createGunzip, constants } from 'node:zlib'
import type { ImportResult } from '@lapsus/api'
import { AnySource, type TakeSource } from '@lapsus/core/exchange'
import { FormatError, type AnyRecord, type FormatErrorPlace } from '@lapsus/core/format'
import { RecordStore } from './store-records.ts'
import type { Store } from '../store/store.ts'

/** Bytes a file may unpack to; a ten-minute take of 18 million spans has about 300 MB. */
const MOST_BYTES = 8 * 1024 * 1024 * 1024
const GZIP_MAGIC = [0x1f, 0x8b]

export interface ImportOptions {
  /** Name of the spans that are frames, in formats that do not say so themselves. */
  frameMarker?: string | undefined
  /** The game's name, in formats that do not give it. */
  game?: string | undefined
}

/**
 * Reads a take file in any known format, gzip or not, and stores it. A file that breaks off or is wrong
 * somewhere is stored up to there, or without what is wrong, and the result says so.
 * @throws FormatError when there is no take in it at all
 */
export async function importTake(
  store: Store,
  file: Readable,
  { frameMarker, game = 'Imported' }: ImportOptions = {},
): Promise<ImportResult> {
  const source: TakeSource = new AnySource({ take: randomUUID(), game, frameMarker })
  const records = new RecordStore(store)
  let problem: string | null = null
  try {
    await readInto(records, source, file)
  } catch (error) {
    if (!(error instanceof FormatError) && !isBadGzip(error)) throw error
    problem = (error as Error).message
    if (records.takeId === null)
      throw error instanceof FormatError ? error : new FormatError('not-a-take', problem).at(source.place)
  }
  if (records.takeId === null) {
    throw new FormatError(
      'not-a-take',
      source.pendingBytes > 0 ? 'it ends within its first record' : 'it is empty',
    ).at(source.place)
  }
  if (problem === null && !source.ended) {
    problem = `the take breaks off after record ${source.place.record - 1}, at byte ${source.place.offset}`
  }
  await records.finish(source.ended)
  const row = await store.takes.findByPk(records.takeId, { attributes: ['frames'] })
  return {
    take: records.takeId,
    frames: Number(row!.frames),
    complete: source.ended,
    format: source.format,
    skipped: source.skipped.summary,
    problem,
  }
}

async function readInto(records: RecordStore, source: TakeSource, file: Readable): Promise<void> {
  let bytes = 0
  for await (const piece of await unzipped(apart(file))) {
    bytes += piece.length
    if (bytes > MOST_BYTES)
      throw new FormatError('too-large', `more than ${MOST_BYTES} bytes`).at(source.place)
    await storeFrom(records, source, (onRecord) => source.push(piece, onRecord))
  }
  await storeFrom(records, source, (onRecord) => source.finish(onRecord))
}

/** What came before a bad record is stored before the failure is dealt with. */
async function storeFrom(
  records: RecordStore,
  source: TakeSource,
  read: (onRecord: (record: AnyRecord, place: FormatErrorPlace) => void) => void,
): Promise<void> {
  const arrived: { record: AnyRecord; place: FormatErrorPlace }[] = []
  let failure: unknown = null
  try {
    read((record, place) => arrived.push({ record, place }))
  } catch (error) {
    failure = error
  }
  for (const { record, place } of arrived) {
    const passedOver = (reason: string) => source.skipped.add(`line ${place.record + 1}: ${reason}`)
    await records.put(record, place, source.lenient ? passedOver : undefined)
  }
  if (failure !== null) throw failure
}

const isBadGzip = (error: unknown) => String((error as { code?: unknown }).code).startsWith('Z_')

/**
 * The file through a stream of its own: whoever stops reading ends that one, and the request behind it, whose
 * connection still has to carry the answer, lives on.
 */
function apart(file: Readable): Readable {
  const through = file.pipe(new PassThrough())
  file.once('error', (error) => through.destroy(error))
  file.once('close', () => {
    if (!file.readableEnded)
      through.destroy(Object.assign(new Error('the client hung up'), { code: 'ECONNABORTED' }))
  })
  return through
}

/** The file's bytes, unpacked if they are gzip. One that is cut gives what there is. */
async function unzipped(file: Readable): Promise<AsyncIterable<Buffer>> {
  const pieces = file[Symbol.asyncIterator]() as AsyncIterator<Buffer>
  const first = await pieces.next()
  async function* whole(): AsyncGenerator<Buffer> {
    if (first.done === true) return
    yield first.value
    yield* { [Symbol.asyncIterator]: () => pieces }
  }
  if (first.done === true || GZIP_MAGIC.some((byte, i) => first.value[i] !== byte)) return whole()
  const gunzip = createGunzip({ finishFlush: constants.Z_SYNC_FLUSH })
  pipeline(Readable.from(whole()), gunzip, () => {})
  return gunzip
}
