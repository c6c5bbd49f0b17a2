/** A part of a chunk as a chunk of its own. */
import {
  emptyChunk,
  FRAME_COLUMNS,
  mapColumns,
  type ChunkRecord,
  type ColumnsOf,
  type LaneSpans,
} from '../format/index.ts'
import { cutOther } from './frame-columns.ts'
import { jobEventsAt } from './pair-jobs.ts'
import { detailsOf } from './spans.ts'

/**
 * The frames `from` to before `to` of a chunk, with their spans, samples, moments, pictures and job events.
 * @param originNs becomes time 0
 */
export function excerpt(chunk: ChunkRecord, from: number, to: number, originNs: number): ChunkRecord {
  const { frameStartNs, frameDurationNs } = chunk
  const startNs = frameStartNs[from] ?? Infinity
  const endNs = to < frameStartNs.length ? frameStartNs[to]! : frameStartNs.at(-1)! + frameDurationNs.at(-1)!
  const isInside = (atNs: number) => atNs >= startNs && atNs < endNs
  const jobs = jobEventsAt(
    chunk.jobs,
    [...chunk.jobs.atNs.keys()].filter((i) => isInside(chunk.jobs.atNs[i]!)),
  )
  return {
    ...emptyChunk(chunk.sequence),
    frameStartNs: frameStartNs.slice(from, to).map((ns) => ns - originNs),
    frameDurationNs: frameDurationNs.slice(from, to),
    ...(mapColumns(FRAME_COLUMNS, (_, name) => chunk[name].slice(from, to)) as ColumnsOf<
      typeof FRAME_COLUMNS
    >),
    otherFrameColumns: cutOther(chunk.otherFrameColumns, from, to),
    lanes: chunk.lanes.map((lane) => laneExcerpt(lane, from, to, originNs)),
    gauges: chunk.gauges.map((item) => samplesExcerpt(item, from, to)),
    watches: chunk.watches.map((item) => samplesExcerpt(item, from, to)),
    lives: chunk.lives.map((item) => samplesExcerpt(item, from, to)),
    updaters: chunk.updaters.map((item) => samplesExcerpt(item, from, to)),
    jobs: { ...jobs, atNs: jobs.atNs.map((ns) => ns - originNs) },
    moments: chunk.moments
      .filter(({ atNs }) => isInside(atNs))
      .map((moment) => ({ ...moment, atNs: moment.atNs - originNs })),
    pictures: chunk.pictures
      .filter(({ atNs }) => isInside(atNs))
      .map((picture) => ({ ...picture, atNs: picture.atNs - originNs })),
  }
}

function laneExcerpt(lane: LaneSpans, from: number, to: number, originNs: number): LaneSpans {
  const sum = (counts: Uint32Array) => counts.reduce((total, count) => total + count, 0)
  const first = sum(lane.count.subarray(0, from))
  const end = first + sum(lane.count.subarray(from, to))
  return {
    lane: lane.lane,
    count: lane.count.slice(from, to),
    marker: lane.marker.slice(first, end),
    // A worker's span may have begun before the excerpt does.
    startNs: lane.startNs.slice(first, end).map((ns) => Math.max(0, ns - originNs)),
    durationNs: lane.durationNs.slice(first, end),
    depth: lane.depth.slice(first, end),
    ...detailsOf(lane, (column) => column.slice(first, end) as typeof column),
  }
}

/** Every column of one sort of samples, cut to the rows of the frames that stay. */
function samplesExcerpt<T extends { frame: Uint32Array }>(item: T, from: number, to: number): T {
  const rows = [...item.frame.keys()].filter((i) => item.frame[i]! >= from && item.frame[i]! < to)
  const cut = Object.entries(item).map(([name, column]: [string, unknown]) => {
    if (!ArrayBuffer.isView(column)) return [name, column as unknown]
    const shift = name === 'frame' ? from : 0
    const numbers = column as Float64Array | Uint32Array
    const values = rows.map((i) => numbers[i]! - shift)
    return [name, numbers instanceof Float64Array ? Float64Array.from(values) : Uint32Array.from(values)]
  })
  return Object.fromEntries(cut) as T
}
