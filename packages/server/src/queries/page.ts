import { decodeCbor, encodeCbor, narrow } from '@lapsus/core/format'
import { decodeFrames, unpackFrames } from '@lapsus/core/take'
import { unpack } from '../database/compression.ts'
import { loadTables } from '../ingest/progress.ts'
import { chunkOfFrame } from './chunks.ts'

interface StoredSamples {
  gauge: number
  frame: ArrayLike<number>
  value: Float64Array
}

/** One frame's spans and gauges as CBOR (api: Page); null when the take does not have that frame. */
export async function pageBytes(takeId: string, frame: number): Promise<Uint8Array | null> {
  const [chunk, { paths }] = await Promise.all([
    chunkOfFrame(takeId, frame, ['frameColumns', 'spanColumns', 'samples']),
    loadTables(takeId),
  ])
  if (chunk === null) return null
  const frames = decodeFrames(chunk.frameColumns)
  const within = frame - chunk.firstFrame
  const spans = unpackFrames(await unpack(chunk.spanColumns), frames.startNs, paths, within, within + 1)
  const samples = decodeCbor(chunk.samples) as StoredSamples[]
  return encodeCbor({
    frame,
    startNs: frames.startNs[within],
    durationNs: frames.durationNs[within],
    path: narrow(spans.path),
    spanStartNs: spans.startNs,
    spanDurationNs: narrow(spans.durationNs),
    gauges: samples.flatMap(({ gauge, frame: at, value }) => {
      const i = Array.prototype.indexOf.call(at, within)
      return i < 0 ? [] : [{ gauge, value: value[i] }]
    }),
  })
}
