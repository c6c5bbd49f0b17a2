import { createReadStream } from 'node:fs'
import { pipeline } from 'node:stream'
import { constants, createGunzip } from 'node:zlib'
import { FormatError, RecordReader, withPlace, type TakeRecord } from '@lapsus/core/format'
import { coursesOf, mergeRollups, rollupOf, type Rollup } from '@lapsus/core/rollup'
import { concatFrames, Digester, type FrameColumns, type TakeProgress } from '@lapsus/core/take'
import { CliError } from './errors.ts'

/** Rollups gathered before they are merged into one, so that memory stays flat. */
const MERGE_EVERY = 32

/** A whole take file, summed up. */
export interface TakeFile {
  take: TakeRecord
  progress: TakeProgress
  frames: FrameColumns
  rollup: Rollup
  spans: number
  dropped: number
  repaired: number
  /** The closing record was read. */
  complete: boolean
  /** What could not be read, if anything. */
  problem: string | null
  /** The problem is more than a file that breaks off. */
  malformed: boolean
}

/**
 * Reads a take file, gzip or not, span by span but keeping only sums.
 * @throws CliError when there is no take in it
 */
export async function readTakeFile(path: string): Promise<TakeFile> {
  const reader = new RecordReader()
  const digester = new Digester()
  const frames: FrameColumns[] = []
  let rollups: Rollup[] = []
  let take: TakeRecord | null = null
  const sums = { spans: 0, dropped: 0, repaired: 0 }
  let problem: string | null = null
  try {
    for await (const piece of openFile(path)) {
      reader.push(piece, (record, place) => {
        try {
          if (record.record === 'take') take = record
          else if (record.record === 'declare') digester.declare(record)
          else if (record.record === 'end') sums.dropped += record.dropped
          else {
            const chunk = digester.digest(record)
            frames.push(chunk.frames)
            rollups.push(rollupOf(coursesOf(chunk), digester.progress.paths, chunk.firstFrame))
            if (rollups.length >= MERGE_EVERY) rollups = [mergeRollups(rollups)]
            sums.spans += chunk.spans.path.length
            sums.dropped += chunk.dropped
            sums.repaired += chunk.repaired
          }
        } catch (error) {
          throw withPlace(error, place)
        }
      })
    }
  } catch (error) {
    problem = describe(path, error as NodeJS.ErrnoException)
  }
  const malformed = problem !== null
  if (take === null) {
    throw new CliError(
      problem ??
        `${path}: ${reader.pendingBytes > 0 ? 'breaks off within its first record' : 'is empty'}; expected a take`,
    )
  }
  if (!malformed && !reader.ended) {
    problem = `${path}: breaks off after record ${reader.place.record - 1}, at byte ${reader.place.offset}; what came before is used`
  }
  return {
    take,
    progress: digester.progress,
    frames: concatFrames(frames),
    rollup: mergeRollups(rollups),
    ...sums,
    complete: reader.ended && !malformed,
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
