/** Takes in other formats, read as a file is. */
import { AnySource, type TakeSource } from '@lapsus/core/exchange'
import type { AnyRecord, ChunkRecord } from '@lapsus/core/format'

export const MS = 1_000_000
export const utf8 = (text: string) => new TextEncoder().encode(text)

/** Reads bytes in pieces of some size. */
export function read(bytes: Uint8Array, frameMarker?: string, piece = bytes.length || 1) {
  const source: TakeSource = new AnySource({ take: 'given-identity', game: 'Given', frameMarker })
  const records: AnyRecord[] = []
  for (let at = 0; at < bytes.length; at += piece) {
    source.push(bytes.subarray(at, at + piece), (record) => records.push(record))
  }
  source.finish((record) => records.push(record))
  return { records, source }
}

export function chunksOf(records: AnyRecord[]): ChunkRecord[] {
  return records.filter((record): record is ChunkRecord => record.record === 'chunk')
}

export const names = (records: AnyRecord[]) =>
  records.flatMap((record) => (record.record === 'declare' ? record.markers.map(({ name }) => name) : []))
