/** What is kept beside a chunk, so that it can be told whether all of it is there, as it was stored and as it was sent. */
import type { ChunkRecord } from '@lapsus/core/format'
import { crc32 } from './crc32.ts'

export const CHUNK_BLOBS = [
  'frameColumns',
  'spanColumns',
  'courses',
  'samples',
  'details',
  'courseDetails',
] as const
export type ChunkBlobs = Record<(typeof CHUNK_BLOBS)[number], Uint8Array | null>

/** Taken before anything was packed. */
export interface ChunkCounts {
  frames: number
  spans: number
  moments: number
  /** Of all spans, ns. */
  durationNs: number
}

export interface ChunkProof extends ChunkCounts {
  /** After this record; null where the records did not come as they were sent. */
  chain: number | null
  /** Of each blob, in the order of CHUNK_BLOBS; null for none. */
  crc: (number | null)[]
  /** Of each picture. */
  pictures: number[]
}

export function countsOf({ frameStartNs, lanes, moments }: ChunkRecord): ChunkCounts {
  let spans = 0
  let sum = 0
  for (const { durationNs } of lanes) {
    const { length } = durationNs
    spans += length
    for (let i = 0; i < length; i++) sum += durationNs[i]!
  }
  return { frames: frameStartNs.length, spans, moments: moments.length, durationNs: sum }
}

export const proofOf = (
  counts: ChunkCounts,
  blobs: ChunkBlobs,
  record: ChunkRecord,
  chain: number | null,
): ChunkProof => ({
  ...counts,
  chain,
  crc: crcOf(blobs),
  pictures: record.pictures.map(({ bytes }) => crc32(bytes)),
})

export const crcOf = (blobs: ChunkBlobs): (number | null)[] =>
  CHUNK_BLOBS.map((name) => {
    const blob = blobs[name]
    return blob === null ? null : crc32(blob)
  })
