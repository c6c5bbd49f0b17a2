import {
  FormatError,
  type ChunkRecord,
  type DeclareRecord,
  type GaugeSamples,
  type LaneSpans,
  type Moment,
} from '../format/index.ts'
import { Declarations, MAIN_LANE } from './declarations.ts'
import { emptyFrames, type FrameColumns, type WaitReason } from './frames.ts'
import { NO_PATH, PathTable } from './paths.ts'
import type { SpanColumns } from './spans.ts'

/** A chunk with everything worked out that later questions need. */
export interface DigestedChunk {
  sequence: number
  /** Number of the chunk's first frame in the take, from 0. */
  firstFrame: number
  frames: FrameColumns
  spans: SpanColumns
  /** Self time of each span, ns: its duration less its direct children's. */
  selfNs: Float64Array
  gauges: GaugeSamples[]
  moments: Moment[]
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
}

export const newProgress = (): TakeProgress => ({
  declarations: new Declarations(),
  paths: new PathTable(),
  frames: 0,
  lastFrameStartNs: -Infinity,
})

/** Turns the chunks of one take, in order, into digested ones. */
export class Digester {
  readonly progress: TakeProgress
  readonly #parents = new Int32Array(257)
  readonly #open = new Int32Array(257)

  constructor(progress: TakeProgress = newProgress()) {
    this.progress = progress
  }

  declare(record: DeclareRecord) {
    return this.progress.declarations.apply(record)
  }

  /** @throws FormatError when the chunk does not fit what came before; nothing is changed then but paths */
  digest(chunk: ChunkRecord): DigestedChunk {
    this.#checkOrder(chunk)
    const frames = emptyFrames(chunk.frameStartNs.length)
    frames.startNs = roundAll(chunk.frameStartNs)
    frames.durationNs = roundAll(chunk.frameDurationNs)
    frames.steps = chunk.steps
    const lanes = [...chunk.lanes].sort((a, b) => a.lane - b.lane)
    const { spans, selfNs } = this.#flatten(lanes, frames)
    this.#accountFrames(frames, spans, selfNs)
    const firstFrame = this.progress.frames
    this.progress.frames += frames.startNs.length
    this.progress.lastFrameStartNs = frames.startNs.at(-1) ?? this.progress.lastFrameStartNs
    const { sequence, gauges, moments, dropped, repaired } = chunk
    return { sequence, firstFrame, frames, spans, selfNs, gauges, moments, dropped, repaired }
  }

  #checkOrder(chunk: ChunkRecord): void {
    const first = chunk.frameStartNs[0]
    if (first !== undefined && first < this.progress.lastFrameStartNs) {
      throw new FormatError(
        'bad-field',
        `"start[0]" to be no earlier than the last frame of the chunk before (${this.progress.lastFrameStartNs} ns), got ${first}`,
      )
    }
    for (const { lane } of chunk.lanes) this.progress.declarations.lane(lane)
    for (const { gauge } of chunk.gauges) this.progress.declarations.gauge(gauge)
  }

  /** Lays the lanes' spans out frame by frame, finds each span's path and self time. */
  #flatten(lanes: LaneSpans[], frames: FrameColumns) {
    const frameCount = frames.startNs.length
    const total = lanes.reduce((sum, lane) => sum + lane.marker.length, 0)
    const spans: SpanColumns = {
      frameEnd: new Uint32Array(frameCount),
      path: new Uint32Array(total),
      startNs: new Float64Array(total),
      durationNs: new Float64Array(total),
    }
    const { path: spanPath, startNs: spanStartNs, durationNs: spanDurationNs } = spans
    const selfNs = new Float64Array(total)
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
    // Clock jitter can make children last longer than their parent by a few ns.
    for (let i = 0; i < total; i++) if (selfNs[i]! < 0) selfNs[i] = 0
    return { spans, selfNs }
  }

  /** Work, waiting and collection of each frame, from its main lane. */
  #accountFrames(frames: FrameColumns, spans: SpanColumns, selfNs: Float64Array): void {
    /** By path: the column its self time is added to; null for work, which is what remains. */
    const columns = this.progress.paths.all.map(({ kind, lane }): Float64Array | null => {
      if (kind === 'work' || lane !== MAIN_LANE) return null
      return kind === 'collect' ? frames.collectNs : frames.waitNs[kind.slice('wait:'.length) as WaitReason]
    })
    let span = 0
    for (let frame = 0; frame < frames.startNs.length; frame++) {
      let waitingNs = 0
      for (; span < spans.frameEnd[frame]!; span++) {
        const column = columns[spans.path[span]!]!
        if (column === null) continue
        column[frame]! += selfNs[span]!
        if (column !== frames.collectNs) waitingNs += selfNs[span]!
      }
      frames.workNs[frame] = Math.max(0, frames.durationNs[frame]! - waitingNs)
    }
  }
}

function roundAll(column: Float64Array): Float64Array {
  return column.map(Math.round)
}
