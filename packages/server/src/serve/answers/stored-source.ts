/** A stored take as what questions are answered from. */
import type { Conditions } from '@lapsus/core/format'
import { planFromJson, type ReadPlan } from '@lapsus/core/remedy'
import type { FrameSource, Runs, Source } from '@lapsus/core/questions'
import { decodeFrames, decodeSamples, unpackDetails, unpackFrames, type PathTable } from '@lapsus/core/take'
import { Op } from 'sequelize'
import { chunkOfFrame } from '../../store/chunks.ts'
import { unpack } from '../../store/compression.ts'
import { rollupOfFrames } from '../../store/rollups.ts'
import type { Store, TakeFields } from '../../store/store.ts'
import { tablesOf } from '../../store/take-tables.ts'
import type { Sources, StudyQuery } from './studies.ts'

/** @param query the frames that are asked about, within the take */
export async function sourceOf(
  { store, studies }: Sources,
  row: TakeFields,
  query: StudyQuery,
): Promise<Source> {
  const tables = await tablesOf(store, row)
  const frames = Number(row.frames)
  const { target, withoutRecorder } = query
  const { from, to } = query.range ?? { from: 0, to: frames - 1 }
  return {
    ...tables,
    conditions: JSON.parse(row.conditions) as Conditions,
    frames,
    chosen: { from, to, target, withoutRecorder },
    study: () => studies.part(row, query),
    evidence: () => studies.evidence(row, query),
    // The recorder's share is different in every frame: sums do not know it.
    rollup: async () =>
      withoutRecorder || frames === 0 ? null : rollupOfFrames(store, row.id, tables.paths, from, to),
    runs: (paths, calls) => runsOf(store, row.id, tables.paths, { from, to }, paths, calls),
    frame: (frame) => frameSource(store, row.id, tables.paths, frame),
    plan: (id) => planOf(store, row.gameId, id),
  }
}

async function planOf(store: Store, gameId: number, id: string): Promise<ReadPlan | null> {
  const row = await store.plans.findOne({
    attributes: ['body'],
    where: { id, gameId, deletedAt: null },
    raw: true,
  })
  return row === null ? null : planFromJson(JSON.parse(row.body))
}

async function frameSource(
  store: Store,
  takeId: string,
  paths: PathTable,
  frame: number,
): Promise<FrameSource | null> {
  const chunk = await chunkOfFrame(store, takeId, frame, [
    'frameColumns',
    'spanColumns',
    'samples',
    'details',
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
  return {
    ...{ frames, within, spans, details, samples },
    async jobs() {
      const beside = await store.chunks.findAll({
        attributes: ['samples'],
        where: { takeId, idx: [chunk.idx - 1, chunk.idx + 1] },
        raw: true,
      })
      return [samples, ...beside.map((row) => decodeSamples(row.samples))].map(({ jobs }) => jobs)
    },
  }
}

/** Chunks from which single runs are read: spread evenly, so that an answer stays quick. */
const MOST_CHUNKS_READ = 8

async function runsOf(
  store: Store,
  takeId: string,
  paths: PathTable,
  { from, to }: { from: number; to: number },
  wanted: ReadonlySet<number>,
  calls: Float64Array,
): Promise<Runs> {
  const places = await store.chunks.findAll({
    attributes: ['idx', 'firstFrame', 'frames'],
    where: { takeId, firstFrame: { [Op.lte]: to }, frames: { [Op.gt]: 0 } },
    order: [['idx', 'ASC']],
    raw: true,
  })
  // Only those in which there is a run: what runs rarely would be missed.
  const holding = places.filter(({ firstFrame, frames }) =>
    calls
      .subarray(Math.max(0, firstFrame - from), Math.max(0, firstFrame + frames - from))
      .some((n) => n > 0),
  )
  const every = Math.max(1, holding.length / MOST_CHUNKS_READ)
  const read = Array.from(
    { length: Math.min(holding.length, MOST_CHUNKS_READ) },
    (_, i) => holding[Math.floor((i + 0.5) * every)] ?? holding.at(-1)!,
  )
  const durations: number[] = []
  for (const { idx, firstFrame, frames: count } of read) {
    const chunk = await store.chunks.findOne({
      attributes: ['frameColumns', 'spanColumns'],
      where: { takeId, idx },
      raw: true,
    })
    const { startNs } = decodeFrames(chunk!.frameColumns)
    const first = Math.max(0, from - firstFrame)
    const end = Math.min(count, to + 1 - firstFrame)
    const spans = unpackFrames(await unpack(chunk!.spanColumns), startNs, paths, first, end)
    for (let span = 0; span < spans.path.length; span++) {
      if (wanted.has(spans.path[span]!)) durations.push(spans.durationNs[span]!)
    }
  }
  return { durationNs: Float64Array.from(durations), chunksRead: read.length, chunks: holding.length }
}
