import {
  BYTES_UNKNOWN,
  entriesOf,
  FormatError,
  FRAME_COLUMNS,
  LIMITS,
  mapColumns,
  newColumn,
  SPAN_DETAILS,
  type ChunkRecord,
  type Column,
  type DeclareRecord,
  type LaneSpans,
  type Moment,
  type Stretch,
} from '../format/index.ts'
import { Declarations, MAIN_LANE, type Declared } from './declarations.ts'
import { emptyFrames, WAIT_REASONS, type FrameColumns, type WaitReason } from './frame-columns.ts'
import { leaveOutNewPaths } from './leave-out.ts'
import { NO_PATH, PathsFull, PathTable } from './paths.ts'
import { countUnpaired, withoutLooseEnds } from './pair-jobs.ts'
import { samplesOf, type Samples } from './samples.ts'
import { DETAIL_NAMES, type SpanColumns, type SpanDetails } from './spans.ts'

/** A chunk with everything worked out that later questions need. */
export interface DigestedChunk {
  sequence: number
  /** Number of the chunk's first frame in the take, from 0. */
  firstFrame: number
  frames: FrameColumns
  spans: SpanColumns
  /** Self time of each span, ns: its duration less its direct children's. */
  selfNs: Float64Array
  details: SpanDetails
  /** Bytes of each span less its direct children's; null where not recorded. */
  selfBytes: Float64Array | null
  samples: Samples
  moments: Moment[]
  stretch: Stretch | null
  dropped: number
  repaired: number
}

/** Where a take has got to: what a digester needs to go on after a pause. */
export interface TakeProgress {
  declarations: Declarations
  paths: PathTable
  frames: number
  /** Start of the last frame, ns; −Infinity before the first. */
  lastFrameStartNs: number
  /** Jobs that have begun and not ended; null where that is not known. */
  openJobs: Set<number> | null
}

export const newProgress = (): TakeProgress => ({
  declarations: new Declarations(),
  paths: new PathTable(),
  frames: 0,
  lastFrameStartNs: -Infinity,
  openJobs: new Set(),
})

/** Turns the chunks of one take, in order, into digested ones. */
export class Digester {
  readonly progress: TakeProgress
  readonly #parents = new Int32Array(257)
  readonly #open = new Int32Array(257)
  /** By path, as far as looked at: which column of the frames its self time is added to. */
  readonly #columnOf: number[] = []

  /** Columns of the last chunk, to be filled anew; null where each chunk has columns of its own. */
  readonly #spare: SpareColumns | null

  /** @param reuses whether the columns of spans may be those of the chunk before: for whoever keeps none of them */
  constructor(progress: TakeProgress = newProgress(), reuses = false) {
    this.progress = progress
    this.#spare = reuses ? new SpareColumns() : null
  }

  declare(record: DeclareRecord): Declared {
    return this.progress.declarations.apply(record)
  }

  /** @throws FormatError when the chunk does not fit what came before; nothing is changed then but paths */
  digest(whole: ChunkRecord): DigestedChunk {
    this.#checkOrder(whole)
    let chunk = whole
    const frames = emptyFrames(chunk.frameStartNs.length)
    frames.startNs = roundAll(chunk.frameStartNs)
    frames.durationNs = roundAll(chunk.frameDurationNs)
    for (const [name] of entriesOf(FRAME_COLUMNS)) (frames[name] as Column) = chunk[name]
    frames.other = chunk.otherFrameColumns
    let flat
    try {
      flat = this.#flatten(chunk.lanes, frames)
    } catch (error) {
      if (!(error instanceof PathsFull)) throw error
      chunk = leaveOutNewPaths(chunk, this.progress.paths)
      flat = this.#flatten(chunk.lanes, frames)
    }
    const { spans, selfNs, details } = flat
    this.#accountFrames(frames, spans, selfNs)
    const selfBytes = details.bytes === null ? null : this.#selfBytes(spans, details.bytes)
    if (details.bytes !== null) this.#accountBytes(frames, spans, details.bytes)
    const firstFrame = this.progress.frames
    this.progress.frames += frames.startNs.length
    this.progress.lastFrameStartNs = frames.startNs.at(-1) ?? this.progress.lastFrameStartNs
    const { sequence, moments, stretch, dropped } = chunk
    const { openJobs } = this.progress
    // A kept stretch, or a take that is gone on with, may begin in the middle of jobs.
    const jobs = stretch !== null || openJobs === null ? withoutLooseEnds(chunk.jobs) : chunk.jobs
    this.progress.openJobs = openJobs ?? new Set()
    const repaired = chunk.repaired + countUnpaired(jobs, this.progress.openJobs)
    const samples = samplesOf(chunk)
    return {
      sequence,
      firstFrame,
      frames,
      spans,
      selfNs,
      details,
      selfBytes,
      samples,
      moments,
      stretch,
      dropped,
      repaired,
    }
  }

  #checkOrder(chunk: ChunkRecord): void {
    if (this.progress.frames + chunk.frameStartNs.length > LIMITS.frames)
      throw new FormatError('too-large', `more than ${LIMITS.frames} frames in a take`)
    const first = chunk.frameStartNs[0]
    if (first !== undefined && first < this.progress.lastFrameStartNs) {
      throw new FormatError(
        'bad-field',
        `"start[0]" to be no earlier than the last frame of the chunk before (${this.progress.lastFrameStartNs} ns), got ${first}`,
      )
    }
    for (const { lane } of chunk.lanes) this.progress.declarations.lane(lane)
    const { declarations } = this.progress
    for (const { gauge } of chunk.gauges) declarations.gauge(gauge)
    for (const { watch } of chunk.watches) declarations.watch(watch)
    for (const samples of [...chunk.lives, ...chunk.updaters]) declarations.classOf(samples.class)
    for (const lane of chunk.jobs.lane) declarations.lane(lane)
    for (const marker of chunk.jobs.marker) declarations.marker(marker)
  }

  /** Lays the lanes' spans out frame by frame, finds each span's path and self time. */
  #flatten(unordered: LaneSpans[], frames: FrameColumns) {
    const lanes = [...unordered].sort((a, b) => a.lane - b.lane)
    const frameCount = frames.startNs.length
    const total = lanes.reduce((sum, lane) => sum + lane.marker.length, 0)
    const { selfNs, ...columns } = this.#spare?.of(total) ?? newColumns(total)
    const spans: SpanColumns = { frameEnd: new Uint32Array(frameCount), ...columns }
    const { path: spanPath, startNs: spanStartNs, durationNs: spanDurationNs } = spans
    const details = mapColumns(SPAN_DETAILS, (rule, name) =>
      lanes.some((lane) => lane[name]) ? newColumn(rule, total) : null,
    ) as SpanDetails
    const { declarations, paths } = this.progress
    const parents = this.#parents
    const open = this.#open
    const next = new Uint32Array(lanes.length)
    let at = 0
    for (let frame = 0; frame < frameCount; frame++) {
      for (let l = 0; l < lanes.length; l++) {
        const lane = lanes[l]!
        const { marker: markers, startNs, durationNs, depth: depths } = lane
        parents[0] = NO_PATH
        const end = next[l]! + lane.count[frame]!
        copyDetails(lane, next[l]!, end, details, at)
        if (lane.lane === MAIN_LANE) frames.mainSpans[frame] = lane.count[frame]!
        for (let from = next[l]!; from < end; from++, at++) {
          const depth = depths[from]!
          const marker = markers[from]!
          const parent = parents[depth]!
          const path =
            paths.find(parent, lane.lane, marker) ??
            paths.child(parent, lane.lane, declarations.marker(marker))
          const duration = Math.round(durationNs[from]!)
          spanPath[at] = path
          spanStartNs[at] = Math.round(startNs[from]!)
          spanDurationNs[at] = duration
          selfNs[at] = duration
          if (depth > 0) selfNs[open[depth - 1]!]! -= duration
          parents[depth + 1] = path
          open[depth] = at
        }
        next[l] = end
      }
      spans.frameEnd[frame] = at
      frames.spans[frame] = at - (frame === 0 ? 0 : spans.frameEnd[frame - 1]!)
    }
    return { spans, selfNs, details }
  }

  /** Work, waiting and collection of each frame, from its main lane; no self time stays below 0. */
  #accountFrames(frames: FrameColumns, { frameEnd, path }: SpanColumns, selfNs: Float64Array): void {
    const columns = [null, frames.collectNs, ...WAIT_REASONS.map((reason) => frames.waitNs[reason])]
    const columnOf = this.#frameColumns()
    let span = 0
    for (let frame = 0; frame < frames.startNs.length; frame++) {
      let waitingNs = 0
      for (const end = frameEnd[frame]!; span < end; span++) {
        // Clock jitter can make children last longer than their parent by a few ns.
        if (selfNs[span]! < 0) selfNs[span] = 0
        const kind = columnOf[path[span]!]!
        if (kind === 0) continue
        const column = columns[kind]!
        column[frame]! += selfNs[span]!
        if (column === frames.collectNs) frames.collections[frame]!++
        else waitingNs += selfNs[span]!
      }
      frames.workNs[frame] = Math.max(0, frames.durationNs[frame]! - waitingNs)
    }
  }

  /** By path: 0 for work, which is what remains; 1 for collections; then the reasons for waiting. */
  #frameColumns(): readonly number[] {
    const { all } = this.progress.paths
    for (let path = this.#columnOf.length; path < all.length; path++) {
      const { kind, lane } = all[path]!
      const reason = kind.slice('wait:'.length) as WaitReason
      this.#columnOf.push(
        kind === 'work' || lane !== MAIN_LANE ? 0 : kind === 'collect' ? 1 : 2 + WAIT_REASONS.indexOf(reason),
      )
    }
    return this.#columnOf
  }

  /**
   * Bytes of each span itself. A collection inside a span is one inside all around it: their bytes become
   * unknown too.
   */
  #selfBytes(spans: SpanColumns, bytes: Float64Array): Float64Array {
    const { depthOf } = this.progress.paths
    const open = this.#open
    for (let span = 0; span < bytes.length; span++) {
      const depth = depthOf[spans.path[span]!]!
      open[depth] = span
      if (bytes[span]! >= 0) continue
      for (let above = depth - 1; above >= 0; above--) bytes[open[above]!] = BYTES_UNKNOWN
    }
    const selfBytes = new Float64Array(bytes)
    for (let span = 0; span < bytes.length; span++) {
      const depth = depthOf[spans.path[span]!]!
      open[depth] = span
      if (depth === 0) continue
      const parent = open[depth - 1]!
      if (bytes[parent]! >= 0) selfBytes[parent] = Math.max(0, selfBytes[parent]! - bytes[span]!)
    }
    return selfBytes
  }

  /** Bytes of each frame: those of its outermost main-lane spans, if all are known. */
  #accountBytes(frames: FrameColumns, spans: SpanColumns, bytes: Float64Array): void {
    const { laneOf, depthOf } = this.progress.paths
    let span = 0
    for (let frame = 0; frame < frames.startNs.length; frame++) {
      let sum = 0
      for (; span < spans.frameEnd[frame]!; span++) {
        const path = spans.path[span]!
        if (laneOf[path] !== MAIN_LANE || depthOf[path] !== 0) continue
        sum = sum < 0 || bytes[span]! < 0 ? BYTES_UNKNOWN : sum + bytes[span]!
      }
      frames.bytes[frame] = sum
    }
  }
}

const newColumns = (spans: number) => ({
  path: new Uint32Array(spans),
  startNs: new Float64Array(spans),
  durationNs: new Float64Array(spans),
  selfNs: new Float64Array(spans),
})

/** Memory of spans that is used again: fresh memory for each chunk keeps the collector busier than the arithmetic. */
class SpareColumns {
  #columns = newColumns(0)

  of(spans: number): ReturnType<typeof newColumns> {
    if (this.#columns.path.length < spans) this.#columns = newColumns(Math.ceil(spans * 1.25))
    const { path, startNs, durationNs, selfNs } = this.#columns
    return {
      path: path.subarray(0, spans),
      startNs: startNs.subarray(0, spans),
      durationNs: durationNs.subarray(0, spans),
      selfNs: selfNs.subarray(0, spans),
    }
  }
}

/** The details of one lane's spans of one frame, put where its spans are put. */
function copyDetails(lane: LaneSpans, from: number, end: number, details: SpanDetails, at: number): void {
  for (const name of DETAIL_NAMES) {
    const own = lane[name]
    if (own !== undefined) details[name]!.set(own.subarray(from, end), at)
  }
}

function roundAll(column: Float64Array): Float64Array {
  return column.map(Math.round)
}
