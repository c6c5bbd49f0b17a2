import {
  decodeCbor,
  encodeRecord,
  FORMAT_VERSION,
  type ChunkRecord,
  type LaneSpans,
  type Moment,
} from '@lapsus/core/format'
import {
  decodeFrames,
  firstSpan,
  unpackSpans,
  type FrameColumns,
  type PathTable,
  type SpanColumns,
} from '@lapsus/core/take'
import { unpack } from '../database/compression.ts'
import { ChunkRow, GameRow, MomentRow, type TakeRow } from '../database/models.ts'
import { loadTables } from '../ingest/progress.ts'

/** A stored take as the records of a take file, one at a time. */
export async function* exportTake(row: TakeRow): AsyncGenerator<Uint8Array> {
  const game = await GameRow.findByPk(row.gameId)
  const { declarations, paths } = await loadTables(row.id)
  yield encodeRecord({
    record: 'take',
    lapsus: FORMAT_VERSION,
    take: row.id,
    game: game!.name,
    target: row.target,
    started: row.started.toISOString(),
    conditions: JSON.parse(row.conditions),
  })
  let sequence = 1
  yield encodeRecord({
    record: 'declare',
    sequence: sequence++,
    markers: [...declarations.markers.values()].map(({ id, name, group, kind }) => ({
      id,
      name,
      group,
      kind,
    })),
    lanes: [...declarations.lanes.values()],
    gauges: [...declarations.gauges.values()],
  })
  let droppedInChunks = 0
  for (let idx = 0; idx < Number(row.chunks); idx++) {
    const chunk = await ChunkRow.findOne({ where: { takeId: row.id, idx }, raw: true })
    if (chunk === null) break
    droppedInChunks += Number(chunk.dropped)
    yield encodeRecord(await chunkRecord(row.id, chunk, paths, sequence++))
  }
  if (row.state === 'complete')
    yield encodeRecord({ record: 'end', sequence, dropped: Number(row.dropped) - droppedInChunks })
}

async function chunkRecord(
  takeId: string,
  chunk: ChunkRow,
  paths: PathTable,
  sequence: number,
): Promise<ChunkRecord> {
  const frames = decodeFrames(chunk.frameColumns)
  const spans = unpackSpans(await unpack(chunk.spanColumns), frames.startNs, paths)
  const moments = await MomentRow.findAll({
    where: { takeId, idx: chunk.idx },
    order: [['position', 'ASC']],
    raw: true,
  })
  const samples = decodeCbor(chunk.samples) as {
    gauge: number
    frame: ArrayLike<number>
    value: Float64Array
  }[]
  return {
    record: 'chunk',
    sequence,
    frameStartNs: frames.startNs,
    frameDurationNs: frames.durationNs,
    steps: frames.steps,
    lanes: lanesOf(spans, frames, paths),
    gauges: samples.map(({ gauge, frame, value }) => ({ gauge, frame: Uint32Array.from(frame), value })),
    moments: moments.map(({ name, atNs, data }): Moment => ({
      name,
      atNs,
      data: data === null ? null : JSON.parse(data),
    })),
    dropped: Number(chunk.dropped),
    repaired: Number(chunk.repaired),
  }
}

/** The spans by lane again, from the flat columns in which lanes follow each other frame by frame. */
function lanesOf(spans: SpanColumns, frames: FrameColumns, paths: PathTable): LaneSpans[] {
  const indices = new Map<number, number[]>()
  const counts = new Map<number, Uint32Array>()
  for (let frame = 0; frame < frames.startNs.length; frame++) {
    for (let span = firstSpan(spans, frame); span < spans.frameEnd[frame]!; span++) {
      const { lane } = paths.get(spans.path[span]!)
      if (!indices.has(lane)) {
        indices.set(lane, [])
        counts.set(lane, new Uint32Array(frames.startNs.length))
      }
      indices.get(lane)!.push(span)
      counts.get(lane)![frame]!++
    }
  }
  return [...indices].map(([lane, own]) => ({
    lane,
    count: counts.get(lane)!,
    marker: Uint32Array.from(own, (span) => paths.get(spans.path[span]!).marker),
    startNs: Float64Array.from(own, (span) => spans.startNs[span]!),
    durationNs: Float64Array.from(own, (span) => spans.durationNs[span]!),
    depth: Uint8Array.from(own, (span) => paths.get(spans.path[span]!).depth),
  }))
}
