/**
 * Chunks of the first take with every path's time stretched. A lane's time is a row of pieces, each of which belongs to the
 * innermost marker that is open: stretching the pieces keeps order and nesting as they were.
 */
import type { ChunkRecord, LaneSpans } from '../format/index.ts'
import { MAIN_LANE, NO_PATH, type PathTable } from '../take/index.ts'
import type { Stretching } from './stretching.ts'
import { TimeMap } from './time-map.ts'

/** A span that has not ended yet. */
interface Open {
  span: number
  endNs: number
  path: number
}

export interface Retimed {
  chunk: ChunkRecord
  /** By frame: what is left of it without waiting, ns. */
  workNs: Float64Array
}

export class Retimer {
  readonly #paths: PathTable
  readonly #stretching: Stretching
  readonly #clocks = new Map<number, TimeMap>()
  /** By path: the cell of its course that was looked up last. Frames come in order. */
  readonly #cells: number[] = []
  #frames = 0

  constructor(paths: PathTable, stretching: Stretching) {
    this.#paths = paths
    this.#stretching = stretching
  }

  /** @param chunk the next of the take */
  retime(chunk: ChunkRecord): Retimed {
    const main = chunk.lanes.find(({ lane }) => lane === MAIN_LANE)
    const { frameStartNs, frameDurationNs, retimed, workNs } = this.#mainLane(chunk, main)
    const lanes = chunk.lanes.map((lane) => (lane === main ? retimed! : this.#otherLane(lane)))
    const clockOf = (lane: number) => this.#clocks.get(lane) ?? this.#clock(MAIN_LANE)
    const { jobs, moments, pictures } = chunk
    const told = {
      ...{ ...chunk, frameStartNs, frameDurationNs, lanes },
      jobs: { ...jobs, atNs: jobs.atNs.map((ns, i) => timeAt(clockOf(jobs.lane[i]!), ns)) },
      moments: moments.map((moment) => ({ ...moment, atNs: timeAt(this.#clock(MAIN_LANE), moment.atNs) })),
      pictures: pictures.map((picture) => ({
        ...picture,
        atNs: timeAt(this.#clock(MAIN_LANE), picture.atNs),
      })),
    }
    this.#frames += chunk.frameStartNs.length
    for (const clock of this.#clocks.values()) clock.forget()
    return { chunk: told, workNs }
  }

  #mainLane({ frameStartNs, frameDurationNs }: ChunkRecord, lane: LaneSpans | undefined) {
    const clock = this.#clock(MAIN_LANE)
    const count = frameStartNs.length
    const now = { startNs: new Float64Array(count), durationNs: new Float64Array(count) }
    const workNs = new Float64Array(count)
    const spans = lane === undefined ? null : new LaneInWork(lane, this.#paths)
    for (let frame = 0; frame < count; frame++) {
      const outside = this.#stretching.unmarked[this.#frames + frame] ?? 1
      // Between frames the game did what it did.
      clock.advance(frameStartNs[frame]!, 1)
      const start = (now.startNs[frame] = timeAt(clock, frameStartNs[frame]!))
      const waits = spans?.frame(frame, clock, outside, (path) => this.#factor(path, frame)) ?? 0
      const endNs = frameStartNs[frame]! + frameDurationNs[frame]!
      clock.advance(endNs, outside)
      now.durationNs[frame] = timeAt(clock, endNs) - start
      workNs[frame] = Math.max(0, now.durationNs[frame]! - waits)
    }
    return {
      ...{ frameStartNs: now.startNs, frameDurationNs: now.durationNs, workNs },
      retimed: spans?.retimed,
    }
  }

  /** A worker's runs begin where the main lane's time puts them, after the run before. */
  #otherLane(lane: LaneSpans): LaneSpans {
    const main = this.#clock(MAIN_LANE)
    const clock = this.#clock(lane.lane)
    const spans = new LaneInWork(lane, this.#paths)
    for (let frame = 0; frame < lane.count.length; frame++)
      spans.frame(frame, clock, main, (path) => this.#factor(path, frame))
    return spans.retimed
  }

  #factor(path: number, frame: number): number {
    const course = this.#stretching.paths.get(path)
    if (course === undefined) return 1
    const wanted = this.#frames + frame
    let cell = this.#cells[path] ?? 0
    while (cell < course.frame.length && course.frame[cell]! < wanted) cell++
    this.#cells[path] = cell
    return course.frame[cell] === wanted ? course.factor[cell]! : 1
  }

  #clock(lane: number): TimeMap {
    let clock = this.#clocks.get(lane)
    if (clock === undefined) this.#clocks.set(lane, (clock = new TimeMap()))
    return clock
  }
}

/** Times are whole ns: rounded one by one they keep their order. */
const timeAt = (clock: TimeMap, ns: number): number => Math.max(0, Math.round(clock.at(ns)))

/** One lane of a chunk, frame after frame. */
class LaneInWork {
  readonly retimed: LaneSpans
  readonly #lane: LaneSpans
  readonly #paths: PathTable
  readonly #parents = new Int32Array(257)
  readonly #open: Open[] = []
  #next = 0

  constructor(lane: LaneSpans, paths: PathTable) {
    this.#lane = lane
    this.#paths = paths
    const count = lane.marker.length
    this.retimed = { ...lane, startNs: new Float64Array(count), durationNs: new Float64Array(count) }
    this.#parents[0] = NO_PATH
  }

  /**
   * @param outside how time in no marker is stretched, or the clock that it follows
   * @returns what of the frame was waiting, ns
   */
  frame(
    frame: number,
    clock: TimeMap,
    outside: number | TimeMap,
    factorOf: (path: number) => number,
  ): number {
    const { lane, marker, startNs, durationNs, depth, count } = this.#lane
    let waits = 0
    for (const end = this.#next + count[frame]!; this.#next < end; this.#next++) {
      const span = this.#next
      waits += this.#close(clock, startNs[span]!, factorOf)
      const top = this.#open.at(-1)
      if (top !== undefined) waits += this.#advance(clock, startNs[span]!, top, factorOf)
      else if (typeof outside === 'number') clock.advance(startNs[span]!, outside)
      else clock.jump(startNs[span]!, outside.at(startNs[span]!))
      const path = this.#paths.find(this.#parents[depth[span]!]!, lane, marker[span]!) ?? NO_PATH
      this.#parents[depth[span]! + 1] = path
      this.retimed.startNs[span] = timeAt(clock, startNs[span]!)
      this.#open.push({ span, endNs: startNs[span]! + durationNs[span]!, path })
    }
    return waits + this.#close(clock, Infinity, factorOf)
  }

  /** Ends the spans that are over by then. @returns what of it was waiting, ns */
  #close(clock: TimeMap, byNs: number, factorOf: (path: number) => number): number {
    let waits = 0
    for (let top = this.#open.at(-1); top !== undefined && top.endNs <= byNs; top = this.#open.at(-1)) {
      waits += this.#advance(clock, top.endNs, top, factorOf)
      this.#open.pop()
      const { startNs, durationNs } = this.retimed
      durationNs[top.span] = Math.max(0, timeAt(clock, top.endNs) - startNs[top.span]!)
    }
    return waits
  }

  #advance(clock: TimeMap, to: number, { path }: Open, factorOf: (path: number) => number): number {
    const from = clock.nowAt
    clock.advance(to, path === NO_PATH ? 1 : factorOf(path))
    const isWait = path !== NO_PATH && this.#paths.get(path).kind.startsWith('wait:')
    return isWait ? clock.nowAt - from : 0
  }
}
