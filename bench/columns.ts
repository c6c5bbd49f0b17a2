/** What decoding, delta coding and deflating the columns of a take alone reach, on one core: the measure for the ingest. */
import { decodeRecord, type ChunkRecord } from '@lapsus/core/format'
import { Digester, packSpans } from '@lapsus/core/take'
import { deflateRawSync } from 'node:zlib'
import { chunks, declaration, SPANS_PER_FRAME } from './made-up-take.ts'

const CHUNKS = 60

/** @returns spans a second */
export function columnsAlone(): number {
  const encoded = [...chunks()].slice(0, CHUNKS)
  const digester = new Digester()
  digester.declare(declaration)
  // What is delta coded is what the take holds: paths are found beforehand.
  const digested = encoded.map((bytes) => {
    const chunk = digester.digest(decodeRecord(bytes, { record: 1, offset: 0 }) as ChunkRecord)
    return { spans: chunk.spans, startNs: chunk.frames.startNs }
  })
  const { paths } = digester.progress
  let spans = 0
  let bytes = 0
  const startMs = performance.now()
  for (const [i, { spans: columns, startNs }] of digested.entries()) {
    const record = decodeRecord(encoded[i]!, { record: 1, offset: 0 }) as ChunkRecord
    bytes += deflateRawSync(packSpans(columns, startNs, paths), { level: 2, memLevel: 9 }).length
    spans += record.frameStartNs.length * SPANS_PER_FRAME
  }
  if (bytes === 0) throw new Error('nothing was packed')
  return spans / ((performance.now() - startMs) / 1000)
}
