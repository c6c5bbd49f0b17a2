import {
  FormatError,
  RecordReader,
  withPlace,
  type AnyRecord,
  type FormatErrorPlace,
} from '@lapsus/core/format'
import type { ImportResult } from '@lapsus/api'
import { pipeline, Readable } from 'node:stream'
import { createGunzip, constants } from 'node:zlib'
import type { Sequelize } from 'sequelize'
import { TakeRow } from '../database/models.ts'
import { finishTake } from './finish.ts'
import { TakeWriter } from './take-writer.ts'

/** Bytes a file may unpack to; a ten-minute take of 18 million spans has about 300 MB. */
const MOST_BYTES = 8 * 1024 * 1024 * 1024
const GZIP_MAGIC = [0x1f, 0x8b]

/**
 * Reads a take file, gzip or not, and stores it. A file that breaks off or is wrong somewhere is stored
 * up to there, and the result says so.
 * @throws FormatError when there is no take in it at all
 */
export async function importTake(database: Sequelize, file: Readable): Promise<ImportResult> {
  const reader = new RecordReader()
  let writer: TakeWriter | null = null
  let problem: string | null = null
  let bytes = 0
  try {
    for await (const piece of await unzipped(file)) {
      bytes += piece.length
      if (bytes > MOST_BYTES)
        throw new FormatError('too-large', `more than ${MOST_BYTES} bytes`).at(reader.place)
      const arrived: { record: AnyRecord; place: FormatErrorPlace }[] = []
      let failure: unknown = null
      try {
        reader.push(piece, (record, place) => arrived.push({ record, place }))
      } catch (error) {
        failure = error
      }
      // What came before a bad record is stored before the failure is dealt with.
      for (const { record, place } of arrived) {
        try {
          if (record.record === 'take') writer = await TakeWriter.open(database, record)
          else await writer!.write(record)
        } catch (error) {
          throw withPlace(error, place)
        }
      }
      if (failure !== null) throw failure
    }
  } catch (error) {
    if (!(error instanceof FormatError) && !isBadGzip(error)) throw error
    problem = (error as Error).message
    if (writer === null)
      throw error instanceof FormatError ? error : new FormatError('not-a-take', problem).at(reader.place)
  }
  if (writer === null) {
    throw new FormatError(
      'not-a-take',
      reader.pendingBytes > 0 ? 'it ends within its first record' : 'it is empty',
    ).at(reader.place)
  }
  await writer.settled()
  if (problem === null && !reader.ended) {
    problem = `the take breaks off after record ${reader.place.record - 1}, at byte ${reader.place.offset}`
  }
  await finishTake(writer.takeId, reader.ended ? 'complete' : 'cut-short')
  const row = await TakeRow.findByPk(writer.takeId, { attributes: ['frames'] })
  return { take: writer.takeId, frames: Number(row!.frames), complete: reader.ended, problem }
}

const isBadGzip = (error: unknown) => String((error as { code?: unknown }).code).startsWith('Z_')

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
