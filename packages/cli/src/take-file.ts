import { createReadStream } from 'node:fs'
import { pipeline } from 'node:stream'
import { constants, createGunzip } from 'node:zlib'
import { randomUUID } from 'node:crypto'
import { basename } from 'node:path'
import { AnySource, type OnRecord, type TakeSource } from '@lapsus/core/exchange'
import { FormatError, withPlace, type TakeRecord } from '@lapsus/core/format'
import { coursesOf } from '@lapsus/core/rollup'
import { studyOfVariant, variantsOf } from '@lapsus/core/compare'
import { StudyBuilder, type Study } from '@lapsus/core/study'
import { Digester, type TakeProgress } from '@lapsus/core/take'
import { CliError } from './errors.ts'

/** A whole take file, summed up. */
export interface TakeFile {
  /** Where it was read from, and how. */
  path: string
  frameMarker: string | undefined
  take: TakeRecord
  format: string
  progress: TakeProgress
  /** Its frames and what every path did in them, judged by the take's own target. */
  study: Study
  spans: number
  dropped: number
  repaired: number
  /** What was wrong and passed over, in words; null for nothing. */
  skipped: string | null
  /** The closing record was read. */
  complete: boolean
  /** What could not be read, if anything. */
  problem: string | null
  /** The problem is more than a file that breaks off. */
  malformed: boolean
}

/**
 * The file with only those frames in which a trial used one of its variants, those left out after a change not among them.
 * @param wanted `trial=variant`; null for all frames
 * @throws CliError naming what there is
 */
export function ofVariant(file: TakeFile, wanted: string | null): TakeFile {
  if (wanted === null) return file
  const study = studyOfVariant(file.study, wanted)
  if (study !== null) return { ...file, study }
  const there = variantsOf(file.study.declarations.gauges.values())
  throw new CliError(`the take has no variant "${wanted}"; there are: ${there.join(', ') || 'none'}`)
}

/**
 * Gives the records of the first take of a file in any known format, gzip or not.
 * @param onRecord may throw a FormatError for a record that does not fit; formats that forgive leave it out
 * @returns the source, and what could not be read, if anything
 */
export async function readRecords(
  path: string,
  frameMarker: string | undefined,
  onRecord: OnRecord,
): Promise<{ source: TakeSource; problem: string | null }> {
  let takes = 0
  const read = await readAllRecords(path, frameMarker, (record, place) => {
    if (record.record === 'take') takes++
    if (takes === 1) onRecord(record, place)
  })
  if (takes > 1) read.source.skipped.add(`${takes - 1} more in the file: import it to have all takes`)
  return read
}

/** The same for files of several takes: each begins with a record of its own. */
export async function readAllRecords(
  path: string,
  frameMarker: string | undefined,
  onRecord: OnRecord,
): Promise<{ source: TakeSource; problem: string | null }> {
  const game = basename(path).replace(/\..*$/, '') || path
  const source: TakeSource = new AnySource({ take: randomUUID(), game, frameMarker })
  const take: OnRecord = (record, place) => {
    try {
      onRecord(record, place)
    } catch (error) {
      if (!source.lenient || !(error instanceof FormatError)) throw withPlace(error, place)
      source.skipped.add(`line ${place.record + 1}: ${error.reason}`)
    }
  }
  try {
    for await (const piece of openFile(path)) source.push(piece, take)
    source.finish(take)
    return { source, problem: null }
  } catch (error) {
    return { source, problem: describe(path, error as NodeJS.ErrnoException) }
  }
}

/**
 * Reads a take file, span by span but keeping only sums.
 * @throws CliError when there is no take in it
 */
export async function readTakeFile(path: string, frameMarker?: string): Promise<TakeFile> {
  const digester = new Digester()
  const builder = new StudyBuilder()
  let take: TakeRecord | null = null
  const sums = { spans: 0, dropped: 0, repaired: 0 }
  const { source, problem: failure } = await readRecords(path, frameMarker, (record) => {
    if (record.record === 'take') take = record
    else if (record.record === 'declare') digester.declare(record)
    else if (record.record === 'end') sums.dropped += record.dropped
    else {
      const chunk = digester.digest(record)
      const { paths } = digester.progress
      const courses = coursesOf(chunk, paths)
      const { frames, samples, moments, stretch, dropped } = chunk
      builder.add({ frames, courses, samples, moments, beginsStretch: stretch !== null, dropped })
      sums.spans += chunk.spans.path.length
      sums.dropped += chunk.dropped
      sums.repaired += chunk.repaired
    }
  })
  let problem = failure
  const malformed = failure !== null
  if (take === null) {
    throw new CliError(
      problem ??
        `${path}: ${source.pendingBytes > 0 ? 'breaks off within its first record' : 'is empty'}; expected a take`,
    )
  }
  if (!malformed && !source.ended) {
    problem = `${path}: breaks off after record ${source.place.record - 1}, at byte ${source.place.offset}; what came before is used`
  }
  const { conditions, target } = take as TakeRecord
  return {
    ...{ path, frameMarker, take },
    format: source.format,
    progress: digester.progress,
    study: builder.study({ conditions, target, ...digester.progress }),
    ...sums,
    skipped: source.skipped.summary,
    complete: source.ended && !malformed,
    problem,
    malformed,
  }
}

function describe(path: string, error: NodeJS.ErrnoException): string {
  if (error instanceof FormatError) return `${path}: ${error.message}`
  if (error.code === 'ENOENT') return `${path}: there is no such file`
  if (error.code === 'EISDIR') return `${path}: is a folder, expected a take file`
  if (error.code === 'EACCES') return `${path}: may not be read`
  if (String(error.code).startsWith('Z_')) return `${path}: is not good gzip: ${error.message}`
  throw error
}

/** The bytes of a file, unpacked if they are gzip. */
async function* openFile(path: string): AsyncGenerator<Uint8Array> {
  const zipped = await startsAsGzip(path)
  const raw = createReadStream(path)
  if (!zipped) {
    yield* raw as AsyncIterable<Uint8Array>
    return
  }
  // What a cut gzip file still holds is given out, rather than an error.
  const gunzip = createGunzip({ finishFlush: constants.Z_SYNC_FLUSH })
  pipeline(raw, gunzip, () => {})
  yield* gunzip as AsyncIterable<Uint8Array>
}

async function startsAsGzip(path: string): Promise<boolean> {
  for await (const start of createReadStream(path, { end: 1 })) {
    const bytes = start as Uint8Array
    return bytes[0] === 0x1f && bytes[1] === 0x8b
  }
  return false
}
