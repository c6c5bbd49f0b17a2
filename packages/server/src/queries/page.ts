import { encodeCbor, narrow } from '@lapsus/core/format'
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
    effect: details?.effect ?? undefined,
    bytes: details?.bytes ?? undefined,
    key: details?.key ?? undefined,
    ...samplesOfFrame(samples, within),
    jobs: await jobsOfFrame(store, takeId, chunk, samples, frames, within),
  })
}

function samplesOfFrame({ gauges, watches, lives, updaters }: Samples, within: number) {
  const rowOf = (frames: Uint32Array) => frames.indexOf(within)
  return {
    gauges: gauges.flatMap(({ gauge, frame, value }) => {
      const i = rowOf(frame)
      return i < 0 ? [] : [{ gauge, value: value[i] }]
    }),
    watches: watches.flatMap(({ watch, frame, looks, changes }) => {
      const i = rowOf(frame)
      return i < 0 ? [] : [{ watch, looks: looks[i], changes: changes[i] }]
    }),
    lives: lives.flatMap((item) => {
      const i = rowOf(item.frame)
      return i < 0
        ? []
        : [{ class: item.class, born: item.born[i], died: item.died[i], bytes: item.bytes[i] }]
    }),
    // The state holds until the next sample; every chunk begins with one.
    updaters: updaters.flatMap((item) => {
      const i = item.frame.findLastIndex((frame) => frame <= within)
      if (i < 0) return []
      const { instances, enabled, unseen, far, asleep, everyMs } = item
      const columns = { instances, enabled, unseen, far, asleep, everyMs }
      const state = Object.entries(columns).map(([name, column]) => [name, column[i]])
      return [{ class: item.class, ...Object.fromEntries(state) }]
    }),
  }
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
