import { randomUUID } from 'node:crypto'
import { pipeline, Readable } from 'node:stream'
import { createGunzip, constants } from 'node:zlib'
import type { ImportResult } from '@lapsus/api'
import { AnySource, type TakeSource } from '@lapsus/core/exchange'
import { FormatError, type AnyRecord, type FormatErrorPlace } from '@lapsus/core/format'
import { JobProgress } from '../threads/job-progress.ts'
import { RecordStore } from './store-records.ts'
import type { Store } from '../store/store.ts'

/** Bytes a file may unpack to; a ten-minute take of 18 million spans has about 300 MB. */
const MOST_BYTES = 8 * 1024 * 1024 * 1024
/** No take packs as well as this; what does is made to fill memory and time. Beyond so many bytes it counts. */
const MOST_RATIO = 300
const LEAST_SUSPECT_BYTES = 64 * 1024 * 1024
/** Of what a gzip file unpacks to. */
const PIECE_BYTES = 64 * 1024
const GZIP_MAGIC = [0x1f, 0x8b]

export interface ImportOptions {
  /** Name of the spans that are frames, in formats that do not say so themselves. */
  frameMarker?: string | undefined
  /** The game's name, in formats that do not give it. */
  game?: string | undefined
}

/**
 * Reads a file in any known format, gzip or not, and stores the takes in it: mostly one. A file that breaks off or is wrong
 * somewhere is stored up to there, or without what is wrong, and the result of its last take says so.
 * @throws FormatError when there is no take in it at all
 */
export async function importTakes(
  store: Store,
  file: AsyncIterable<Buffer>,
  { frameMarker, game = 'Imported' }: ImportOptions = {},
  progress = new JobProgress(),
): Promise<ImportResult[]> {
  const source: TakeSource = new AnySource({ take: randomUUID(), game, frameMarker })
  const takes = new TakesIn(store)
  let problem: string | null = null
  try {
    await readInto(takes, source, file, progress)
  } catch (error) {
    if (progress.isStopped) {
      // What has come is a take that was cut short; without a frame it is none.
      await takes.finish(false)
      await store.takes.destroy({ where: { id: takes.ids, state: 'cut-short', frames: 0 } })
      progress.check()
    }
    if (!(error instanceof FormatError) && !isBadGzip(error)) throw error
    problem = (error as Error).message
    if (takes.isEmpty)
      throw (error instanceof FormatError ? error : new FormatError('not-a-take', problem)).at(source.place)
  }
  if (takes.isEmpty) {
    throw new FormatError(
      'not-a-take',
      source.pendingBytes > 0 ? 'it ends within its first record' : 'it is empty',
    ).at(source.place)
  }
  if (problem === null && !source.ended) {
    problem = `the take breaks off after record ${source.place.record - 1}, at byte ${source.place.offset}`
  }
  await takes.finish(source.ended)
  const found: ImportResult[] = []
  for (const take of takes.ids) {
    const isLast = take === takes.ids.at(-1)
    const row = await store.takes.findByPk(take, { attributes: ['frames'] })
    found.push({
      take,
      frames: Number(row!.frames),
      complete: !isLast || source.ended,
      format: source.format,
      // Lines are counted through the file.
      skipped: isLast ? source.skipped.summary : null,
      problem: isLast ? problem : null,
    })
  }
  return found
}

/** The takes of a file, one after the other. */
class TakesIn {
  readonly ids: string[] = []
  readonly #store: Store
  #records: RecordStore | null = null

  constructor(store: Store) {
    this.#store = store
  }

  get isEmpty(): boolean {
    return this.ids.length === 0
  }

  async put(...[record, place, passedOver]: Parameters<RecordStore['put']>): Promise<void> {
    if (record.record === 'take') {
      // The one before ended with its own last record.
      await this.finish(true)
      this.#records = new RecordStore(this.#store)
    }
    await this.#records!.put(record, place, passedOver)
    if (record.record === 'take') this.ids.push(this.#records!.takeId!)
  }

  async finish(complete: boolean): Promise<void> {
    await this.#records?.finish(complete)
    this.#records = null
  }
}

async function readInto(
  takes: TakesIn,
  source: TakeSource,
  file: AsyncIterable<Buffer>,
  progress: JobProgress,
): Promise<void> {
  let bytes = 0
  let packed = 0
  async function* counted(): AsyncGenerator<Buffer> {
    for await (const piece of file) {
      packed += piece.length
      progress.did({ bytes: piece.length })
      yield piece
    }
  }
  for await (const piece of await unzipped(counted())) {
    progress.check()
    bytes += piece.length
    if (bytes > LEAST_SUSPECT_BYTES && bytes > MOST_RATIO * packed)
      throw new FormatError('too-large', `it unpacks to more than ${MOST_RATIO} times its size`).at(
        source.place,
      )
    if (bytes > MOST_BYTES)
      throw new FormatError('too-large', `more than ${MOST_BYTES} bytes`).at(source.place)
    await storeFrom(takes, source, progress, (onRecord) => source.push(piece, onRecord))
  }
  await storeFrom(takes, source, progress, (onRecord) => source.finish(onRecord))
}

/** What came before a bad record is stored before the failure is dealt with. */
async function storeFrom(
  takes: TakesIn,
  source: TakeSource,
  progress: JobProgress,
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
    progress.passed(record)
    await takes.put(record, place, source.lenient ? passedOver : undefined)
  }
  if (failure !== null) throw failure
}

const isBadGzip = (error: unknown) => String((error as { code?: unknown }).code).startsWith('Z_')

/** The file's bytes, unpacked if they are gzip. One that is cut gives what there is. */
async function unzipped(file: AsyncIterable<Buffer>): Promise<AsyncIterable<Buffer>> {
  const pieces = file[Symbol.asyncIterator]()
  const first = await pieces.next()
  async function* whole(): AsyncGenerator<Buffer> {
    if (first.done === true) return
    yield first.value
    yield* { [Symbol.asyncIterator]: () => pieces }
  }
  if (first.done === true || GZIP_MAGIC.some((byte, i) => first.value[i] !== byte)) return whole()
  const gunzip = createGunzip({ finishFlush: constants.Z_SYNC_FLUSH, chunkSize: PIECE_BYTES })
  pipeline(Readable.from(whole()), gunzip, () => {})
  return gunzip
}
