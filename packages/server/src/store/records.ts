import {
  columnAs,
  endRecord,
  entriesOf,
  FORMAT_VERSION,
  FRAME_COLUMNS,
  LIMITS,
  mapColumns,
  SPAN_DETAILS,
  type AnyRecord,
  type ChunkRecord,
  type ColumnsOf,
  type DeclareRecord,
  type LaneSpans,
  type Moment,
  type Picture,
  type TakeRecord,
} from '@lapsus/core/format'
import {
  type Declarations,
  decodeFrames,
  decodeSamples,
  excerpt,
  firstSpan,
  noSpanDetails,
  unpackDetails,
  unpackSpans,
  withoutLooseEnds,
  type FrameColumns,
  type PathTable,
  type SpanColumns,
  type SpanDetails,
} from '@lapsus/core/take'
import { unpack } from '../store/compression.ts'
import { tablesOf } from '../store/take-tables.ts'
import { problemsOf } from './problems.ts'
import type { Store, TakeRow, ChunkRow } from '../store/store.ts'

/** A stored take as records. */
export async function* takeRecords(store: Store, row: TakeRow): AsyncGenerator<AnyRecord> {
  const { declarations, paths } = await tablesOf(store, row)
  yield await takeRecord(store, row)
  let sequence = 1
  yield declareRecord(declarations, sequence++)
  let droppedInChunks = 0
  // They are kept for the whole take: its first chunk brings them, a few at a time.
  const problems = await problemsOf(store, row.id)
  for (let idx = 0; idx < Number(row.chunks); idx++) {
    const chunk = await store.chunks.findOne({ where: { takeId: row.id, idx }, raw: true })
    if (chunk === null) break
    droppedInChunks += Number(chunk.dropped)
    const record = await chunkRecord(store, row.id, chunk, paths, sequence++)
    yield { ...record, problems: problems.splice(0, LIMITS.problems) }
  }
  if (row.state === 'complete') yield endRecord(sequence, Number(row.dropped) - droppedInChunks)
}

/** The frames `from` to `to`, both included, as records of a take of their own, named `take`. */
export async function* excerptRecords(
  store: Store,
  row: TakeRow,
  take: string,
  from: number,
  to: number,
): AsyncGenerator<AnyRecord> {
  const { declarations, paths } = await tablesOf(store, row)
  const whole = await takeRecord(store, row)
  let sequence = 1
  let originNs: number | null = null
  for (let idx = 0; idx < Number(row.chunks); idx++) {
    const place = await store.chunks.findOne({
      attributes: ['firstFrame', 'frames'],
      where: { takeId: row.id, idx },
      raw: true,
    })
    if (place === null || place.firstFrame + place.frames <= from || place.firstFrame > to) continue
    const stored = (await store.chunks.findOne({ where: { takeId: row.id, idx }, raw: true }))!
    const chunk = await chunkRecord(store, row.id, stored, paths, 0)
    const first = Math.max(0, from - place.firstFrame)
    const begins = originNs === null
    if (originNs === null) {
      originNs = chunk.frameStartNs[first]!
      const started = new Date(Date.parse(whole.started) + originNs / 1e6).toISOString()
      const { conditions } = whole
      const more = { ...conditions.more, 'excerpt of': row.id, frames: `${from} to ${to}` }
      yield { ...whole, take, started, conditions: { ...conditions, more } }
      yield declareRecord(declarations, sequence++)
    }
    const cut = excerpt(chunk, first, Math.min(place.frames, to + 1 - place.firstFrame), originNs)
    yield { ...cut, jobs: begins ? withoutLooseEnds(cut.jobs) : cut.jobs, sequence: sequence++ }
  }
  yield endRecord(sequence, 0)
}

async function takeRecord(store: Store, row: TakeRow): Promise<TakeRecord> {
  const game = await store.games.findByPk(row.gameId)
  return {
    record: 'take',
    lapsus: FORMAT_VERSION,
    take: row.id,
    game: game!.name,
    target: row.target,
    started: row.started.toISOString(),
    conditions: JSON.parse(row.conditions),
  }
}

const declareRecord = (declarations: Declarations, sequence: number): DeclareRecord => ({
  record: 'declare',
  sequence,
  markers: [...declarations.markers.values()].map(({ groupId: _, ...marker }) => marker),
  lanes: [...declarations.lanes.values()],
  gauges: [...declarations.gauges.values()],
  watches: [...declarations.watches.values()],
  classes: [...declarations.classes.values()],
})

async function chunkRecord(
  store: Store,
  takeId: string,
  chunk: ChunkRow,
  paths: PathTable,
  sequence: number,
): Promise<ChunkRecord> {
  const frames = decodeFrames(chunk.frameColumns)
  const spans = unpackSpans(await unpack(chunk.spanColumns), frames.startNs, paths)
  const details: SpanDetails =
    chunk.details === null
      ? noSpanDetails()
      : unpackDetails(await unpack(chunk.details), 0, spans.path.length)
  const [moments, pictures, stretch] = await Promise.all([
    store.moments.findAll({
      where: { takeId, idx: chunk.idx },
      order: [['position', 'ASC']],
      raw: true,
    }),
    store.pictures.findAll({ where: { takeId, idx: chunk.idx }, order: [['position', 'ASC']], raw: true }),
    store.stretches.findOne({ where: { takeId, idx: chunk.idx }, raw: true }),
  ])
  return {
    record: 'chunk',
    sequence,
    frameStartNs: frames.startNs,
    frameDurationNs: frames.durationNs,
    ...(mapColumns(FRAME_COLUMNS, (_, name) => frames[name]) as ColumnsOf<typeof FRAME_COLUMNS>),
    otherFrameColumns: frames.other,
    lanes: lanesOf(spans, details, frames, paths),
    ...decodeSamples(chunk.samples),
    moments: moments.map(({ name, atNs, data }): Moment => ({
      name,
      atNs,
      data: data === null ? null : JSON.parse(data),
    })),
    pictures: pictures.map(({ atNs, bytes }): Picture => ({ atNs, bytes: new Uint8Array(bytes) })),
    stretch: stretch === null ? null : { cause: stretch.cause, at: stretch.at.toISOString() },
    dropped: Number(chunk.dropped),
    repaired: Number(chunk.repaired),
    problems: [],
  }
}

/** The spans by lane again, from the flat columns in which lanes follow each other frame by frame. */
function lanesOf(
  spans: SpanColumns,
  details: SpanDetails,
  frames: FrameColumns,
  paths: PathTable,
): LaneSpans[] {
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
    ...ownDetails(own, details),
  }))
}

/** The details of some spans; columns in which these say nothing are left out. */
const ownDetails = (own: number[], details: SpanDetails): Partial<ColumnsOf<typeof SPAN_DETAILS>> =>
  Object.fromEntries(
    entriesOf(SPAN_DETAILS).flatMap(([name, rule]) => {
      const column = details[name]
      if (column === null || own.every((span) => column[span] === rule.empty)) return []
      return [
        [
          name,
          columnAs(
            rule,
            own.map((span) => column[span]!),
          ),
        ],
      ]
    }),
  )
