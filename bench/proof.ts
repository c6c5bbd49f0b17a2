/** What proving alone costs: the chain of what is received, sums of what is in it, CRCs of what is stored. */
import { decodeRecord, type ChunkRecord } from '@lapsus/core/format'
import { Digester, packSpans } from '@lapsus/core/take'
import { deflateRawSync } from 'node:zlib'
import { countsOf } from '../packages/server/src/store/chunk-proof.ts'
import { chained, crc32 } from '../packages/server/src/store/crc32.ts'
import { declaration } from './made-up-take.ts'

/** @returns how long it takes for these chunks of the made-up take, ms */
export function proofAlone(encoded: readonly Uint8Array[]): number {
  const digester = new Digester()
  digester.declare(declaration)
  const stored = encoded.map((bytes) => {
    const record = decodeRecord(bytes, { record: 1, offset: 0 }) as ChunkRecord
    const { spans, frames } = digester.digest(record)
    const blob = deflateRawSync(packSpans(spans, frames.startNs, digester.progress.paths), { level: 2 })
    return { record, blob }
  })
  let chain = 0
  let sum = 0
  const startMs = performance.now()
  for (const [i, { record, blob }] of stored.entries()) {
    chain = chained(chain, encoded[i]!)
    sum += countsOf(record).durationNs + crc32(blob)
  }
  const tookMs = performance.now() - startMs
  if (chain === 0 || sum === 0) throw new Error('nothing was proven')
  return tookMs
}
