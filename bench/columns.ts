/** What decoding, delta coding and deflating the columns of a take alone reach, on one core: the measure for the ingest. */
import { decodeRecord, type ChunkRecord } from '@lapsus/core/format'
import { Digester, packSpans } from '@lapsus/core/take'
import { deflateRawSync } from 'node:zlib'
import { declaration } from './made-up-take.ts'

/** @returns how long it takes for these chunks of the made-up take, ms */
export function columnsAlone(encoded: readonly Uint8Array[]): number {
  const digester = new Digester()
  digester.declare(declaration)
  // What is delta coded is what the take holds: paths are found beforehand.
  const digested = encoded.map((bytes) => {
    const chunk = digester.digest(decodeRecord(bytes, { record: 1, offset: 0 }) as ChunkRecord)
    return { spans: chunk.spans, startNs: chunk.frames.startNs }
  })
  const { paths } = digester.progress
  let bytes = 0
  const startMs = performance.now()
  for (const [i, { spans: columns, startNs }] of digested.entries()) {
    decodeRecord(encoded[i]!, { record: 1, offset: 0 })
    bytes += deflateRawSync(packSpans(columns, startNs, paths), { level: 2, memLevel: 9 }).length
  }
  if (bytes === 0) throw new Error('nothing was packed')
  return performance.now() - startMs
}
