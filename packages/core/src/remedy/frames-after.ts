/** The figures by which frames before and after a plan are compared. */
import { spikeEpisodes } from '../detect/index.ts'
import { mean, sum } from '../stats/index.ts'
import { frameFigures, NS_PER_MS, WAIT_REASONS, type FrameColumns, type FrameFigures } from '../take/index.ts'
import type { Base } from './base.ts'
import type { Collected } from './collecting.ts'
import type { Replay } from './replay.ts'

export interface Figures {
  frames: FrameFigures
  /** Mean work of a frame, ms. */
  meanMs: number
  /** Episodes of frames that stick out; null where they were not looked for. */
  spikes: number | null
  /** Of 1,000 frames, so that a plan by which more frames fit into a minute has no more of them; null where not known. */
  collectionsPer1000: number | null
  collectionMsPer1000: number | null
  /** Null where nobody knows what is allocated. */
  bytesPerFrame: number | null
  /** Largest heap, with what the plan holds on top, bytes; null where the heap is not known. */
  memoryBytes: number | null
}

/** The frames a plan gives, with the collections that would have come. */
export interface ForecastFrames {
  workNs: Float64Array
  durationNs: Float64Array
  collectNs: Float64Array
  waitNs: FrameColumns['waitNs']
}

/** Frames as a replay leaves them: collections re-timed, refreshes waited for anew. */
export function framesAfter(
  { base, workNs, waitNs }: Replay,
  recorded: Collected,
  now: Collected,
): ForecastFrames {
  const { frames } = base.study
  const count = base.count
  const after: ForecastFrames = {
    workNs: new Float64Array(count),
    durationNs: new Float64Array(count),
    collectNs: new Float64Array(count),
    waitNs: {
      job: waitNs.job.slice(),
      io: waitNs.io.slice(),
      graphics: waitNs.graphics.slice(),
      refresh: waitNs.refresh.slice(),
    },
  }
  for (let frame = 0; frame < count; frame++) {
    const collected = now.pauseNs[frame]! - recorded.pauseNs[frame]!
    after.collectNs[frame] = Math.max(0, frames.collectNs[frame]! + collected)
    after.workNs[frame] = Math.max(0, workNs[frame]! + collected)
  }
  settleDurations(base, after)
  return after
}

/**
 * What changes before a wait for graphics or the refresh is taken up by it: graphics are done when they were, and
 * a refresh comes when it comes. A frame that needs more or fewer refreshes is longer or shorter by whole ones.
 */
function settleDurations(base: Base, after: ForecastFrames): void {
  for (let frame = 0; frame < base.count; frame++) {
    const settled = settledFrame(base, frame, after.workNs[frame]!, after.waitNs)
    after.durationNs[frame] = settled.durationNs
    after.waitNs.graphics[frame] = settled.graphicsNs
    after.waitNs.refresh[frame] = settled.refreshNs
  }
}

/** One frame with this work, and waits as a plan leaves them before they take up what changed. */
export function settledFrame(
  { study: { frames }, periodNs }: Pick<Base, 'study' | 'periodNs'>,
  frame: number,
  workNs: number,
  after: FrameColumns['waitNs'],
): { durationNs: number; graphicsNs: number; refreshNs: number } {
  const { waitNs } = frames
  const durationNs = frames.durationNs[frame]!
  const settled = { durationNs, graphicsNs: after.graphics[frame]!, refreshNs: after.refresh[frame]! }
  let changed = workNs - frames.workNs[frame]!
  for (const reason of WAIT_REASONS) changed += after[reason][frame]! - waitNs[reason][frame]!
  if (changed === 0) return settled
  if (settled.graphicsNs > 0) {
    const byGraphics = Math.min(settled.graphicsNs, changed)
    settled.graphicsNs -= byGraphics
    changed -= byGraphics
  }
  const waited = settled.refreshNs
  if (waited === 0 || periodNs === null) return { ...settled, durationNs: Math.max(0, durationNs + changed) }
  const busyNs = Math.max(0, durationNs - waited + changed)
  const refreshes = Math.max(1, Math.ceil(busyNs / periodNs - 1e-9))
  const before = Math.max(1, Math.ceil((durationNs - waited) / periodNs - 1e-9))
  const lasts = Math.max(busyNs, durationNs + (refreshes - before) * periodNs)
  return { ...settled, durationNs: lasts, refreshNs: lasts - busyNs }
}

export interface FiguresOptions {
  /** Looking for spikes takes as long as all the rest. */
  withSpikes: boolean
  /** Memory held on top, bytes. */
  extraMemory: number
  /** Bytes by frame; null where not known. */
  allocated: Float64Array | null
  /** Whether anybody knows when collections come. */
  knowsCollections: boolean
}

export function figuresOf(
  base: Base,
  frames: ForecastFrames,
  collected: Collected,
  options: FiguresOptions,
): Figures {
  const { study, evidence, count } = base
  const columns = { ...study.frames, ...frames }
  const per1000 = (value: number) =>
    !options.knowsCollections ? null : count > 0 ? (value * 1000) / count : 0
  const spikes = options.withSpikes
    ? spikeEpisodes({ frames: columns, target: study.target, stretches: study.stretches }, evidence.isPause)
        .episodes.length
    : null
  return {
    frames: frameFigures(columns, 1000 / study.target),
    meanMs: mean(frames.workNs) / NS_PER_MS,
    spikes,
    collectionsPer1000: per1000(collected.count),
    collectionMsPer1000: per1000(sum(collected.pauseNs) / NS_PER_MS),
    bytesPerFrame: options.allocated === null || count === 0 ? null : mean(options.allocated),
    memoryBytes: base.heapBytes === null ? null : base.heapBytes + options.extraMemory,
  }
}
