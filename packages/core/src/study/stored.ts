/** Parts of a study as they are stored, and sent to whoever computes on them. */
import { asFields, bad, decodeCbor, encodeCbor, FormatError, scanItem } from '../format/index.ts'
import { unpackCourseDetails, unpackCourses } from '../rollup/index.ts'
import { decodeFrames, decodeSamples } from '../take/index.ts'
import type { StudyChunk } from './builder.ts'

/** One chunk: frame columns and samples as CBOR, courses and their details deflated (RFC 1951). */
export interface StoredChunk {
  frames: Uint8Array
  courses: Uint8Array
  courseDetails: Uint8Array | null
  samples: Uint8Array
  beginsStretch: boolean
  dropped: number
}

/** @param inflate undoes the deflating, wherever this runs */
export async function studyChunkOf(
  { frames, courses: packed, courseDetails, samples, beginsStretch, dropped }: StoredChunk,
  inflate: (bytes: Uint8Array) => Promise<Uint8Array>,
): Promise<StudyChunk> {
  const [plain, details] = await Promise.all([
    inflate(packed),
    courseDetails === null ? null : inflate(courseDetails),
  ])
  const courses = unpackCourses(plain)
  if (details !== null) courses.details = unpackCourseDetails(details, courses.frame.length)
  return {
    frames: decodeFrames(frames),
    courses,
    samples: decodeSamples(samples),
    moments: [],
    beginsStretch,
    dropped,
  }
}

export const encodeStoredChunk = (chunk: StoredChunk): Uint8Array => encodeCbor(chunk)

/** Reads stored chunks, one after the other, as their bytes come in. */
export class StoredChunkReader {
  #rest = new Uint8Array()

  /** @returns the chunks that are complete now @throws FormatError for what is none */
  push(piece: Uint8Array): StoredChunk[] {
    const bytes = new Uint8Array(this.#rest.length + piece.length)
    bytes.set(this.#rest)
    bytes.set(piece, this.#rest.length)
    const chunks: StoredChunk[] = []
    let at = 0
    for (;;) {
      const end = at < bytes.length ? scanItem(bytes, at) : -1
      if (end < 0) break
      chunks.push(storedChunk(decodeCbor(bytes.subarray(at, end))))
      at = end
    }
    this.#rest = bytes.slice(at)
    return chunks
  }

  /** @throws FormatError when the last one is cut off */
  finish(): void {
    if (this.#rest.length > 0) throw new FormatError('not-cbor', 'the last stored chunk is cut off')
  }
}

function storedChunk(value: unknown): StoredChunk {
  const fields = asFields(value, 'stored chunk')
  for (const name of ['frames', 'courses', 'samples']) {
    if (!(fields[name] instanceof Uint8Array)) throw bad(name, 'bytes', fields[name])
  }
  const details = fields['courseDetails']
  if (details !== null && !(details instanceof Uint8Array))
    throw bad('courseDetails', 'bytes or null', details)
  return fields as unknown as StoredChunk
}
