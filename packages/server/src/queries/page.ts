import { encodeCbor, narrow, SAMPLE_NAMES, SAMPLES } from '@lapsus/core/format'
import {
  decodeFrames,
  decodeSamples,
  pairJobs,
  unpackDetails,
  unpackFrames,
  type FrameColumns,
  type Job,
  type Samples,
} from '@lapsus/core/take'
import { unpack } from '../store/compression.ts'
import { tablesOf } from '../store/take-tables.ts'
import { chunkOfFrame } from '../store/chunks.ts'
import type { ChunkRow, Store, TakeRow } from '../store/store.ts'

/** One frame's spans, gauges and jobs as CBOR (api: Page); null when the take does not have that frame. */
export async function pageBytes(store: Store, row: TakeRow, frame: number): Promise<Uint8Array | null> {
  const takeId = row.id
  const [chunk, { paths }] = await Promise.all([
    chunkOfFrame(store, takeId, frame, ['frameColumns', 'spanColumns', 'samples', 'details']),
    tablesOf(store, row),
  ])
  if (chunk === null) return null
  const frames = decodeFrames(chunk.frameColumns)
  const within = frame - chunk.firstFrame
  const spans = unpackFrames(await unpack(chunk.spanColumns), frames.startNs, paths, within, within + 1)
  const firstSpan = frames.spans.subarray(0, within).reduce((sum, count) => sum + count, 0)
  const details =
    chunk.details === null
      ? null
      : unpackDetails(await unpack(chunk.details), firstSpan, firstSpan + spans.path.length)
  const samples = decodeSamples(chunk.samples)
  return encodeCbor({
    frame,
    startNs: frames.startNs[within],
    durationNs: frames.durationNs[within],
    path: narrow(spans.path),
    spanStartNs: spans.startNs,
    spanDurationNs: narrow(spans.durationNs),
    ...Object.fromEntries(Object.entries(details ?? {}).filter(([, column]) => column !== null)),
    ...samplesOfFrame(samples, within),
    jobs: await jobsOfFrame(store, takeId, chunk, samples, frames, within),
  })
}

/** Of each thing that is sampled: what it says in this frame, or said last if that holds. */
function samplesOfFrame(samples: Samples, within: number) {
  const all = SAMPLE_NAMES.map((name) => {
    const { key, columns, holds } = SAMPLES[name]
    // A gauge is told in the frames that it was read in; every chunk begins with the state of its updaters.
    const carries = holds && name !== 'gauges'
    const items = samples[name].flatMap((item) => {
      const i = carries ? item.frame.findLastIndex((frame) => frame <= within) : item.frame.indexOf(within)
      if (i < 0) return []
      const fields = item as unknown as Record<string, ArrayLike<number>> & Record<string, number>
      const values = Object.keys(columns).map((column) => [column, fields[column]![i]])
      return [{ [key]: fields[key], ...Object.fromEntries(values) }]
    })
    return [name, items]
  })
  return Object.fromEntries(all)
}

/** Jobs that anything happened to during the frame; their other ends may lie in the chunks beside. */
async function jobsOfFrame(
  store: Store,
  takeId: string,
  { idx }: ChunkRow,
  samples: Samples,
  frames: FrameColumns,
  within: number,
): Promise<Job[]> {
  const fromNs = frames.startNs[within]!
  const toNs = fromNs + frames.durationNs[within]!
  const happened = (instant: Job['begun']) =>
    instant !== null && instant.atNs >= fromNs && instant.atNs <= toNs
  const touches = ({ dispatched, begun, ended }: Job) => [dispatched, begun, ended].some(happened)
  if (!pairJobs([samples.jobs]).some(touches)) return []
  const neighbours = await store.chunks.findAll({
    attributes: ['samples'],
    where: { takeId, idx: [idx - 1, idx + 1] },
    raw: true,
  })
  const events = [samples, ...neighbours.map((row) => decodeSamples(row.samples))].map(({ jobs }) => jobs)
  return pairJobs(events).filter(touches)
}
