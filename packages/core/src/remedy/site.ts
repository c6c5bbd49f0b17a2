/** Where a remedy is put to use: one path of the frames as the plan has left them so far. */
import type { LifeSeries, UpdaterSeries } from '../study/index.ts'
import { percentileInPlace, sum } from '../stats/index.ts'
import { MAIN_LANE } from '../take/index.ts'
import type { Base } from './base.ts'
import { Refusal } from './remedy.ts'
import type { Replay } from './replay.ts'

export class Site {
  readonly replay: Replay
  readonly base: Base
  readonly count: number
  /** Number of the path; null for whole frames. */
  readonly pathOrNone: number | null
  /** What tells it from others at the same path: a class, a gauge, a marker; empty where nothing does. */
  readonly subject: string
  #treeNs: Float64Array | null = null

  constructor(replay: Replay, path: number | null, subject: string) {
    this.replay = replay
    this.base = replay.base
    this.count = replay.base.count
    this.pathOrNone = path
    this.subject = subject
  }

  /** @throws Refusal for whole frames, other lanes, and what does not work */
  get path(): number {
    const path = this.pathOrNone
    if (path === null) throw new Refusal('this needs a path to be put to use at')
    const { lane, kind } = this.base.study.paths.get(path)
    if (lane !== MAIN_LANE) {
      const { name } = this.base.study.declarations.lane(lane)
      throw new Refusal(`${this.name} runs on lane “${name}”, which no frame waits for by itself`)
    }
    if (kind === 'collect') throw new Refusal('a collection is no work of the game: look for who allocates')
    return path
  }

  /** @throws Refusal where the path waits rather than works */
  get workPath(): number {
    const { path } = this
    if (this.base.study.paths.get(path).kind !== 'work')
      throw new Refusal(`${this.name} waits; making it shorter would only wait elsewhere`)
    return path
  }

  /** @throws Refusal like `path`, for who only wants to know that there is one */
  demandPath(): void {
    void this.path
  }

  /** @throws Refusal like `workPath` */
  demandWork(): void {
    void this.workPath
  }

  get marker() {
    const { declarations, paths } = this.base.study
    return declarations.marker(paths.get(this.pathOrNone!).marker)
  }

  get name(): string {
    return this.pathOrNone === null ? 'the frame' : this.marker.name
  }

  nameOf(path: number): string {
    const { declarations, paths } = this.base.study
    return declarations.marker(paths.get(path).marker).name
  }

  get columns() {
    return this.replay.columns(this.path)
  }

  /** Time with all inside, by frame, as things stand; to be read, not written. */
  treeNs(): Float64Array {
    // Nothing changes while one remedy is worked out.
    return (this.#treeNs ??= this.replay.treeNs(this.path))
  }

  /** A column in which every frame has the same value; given back when the forecast is done with. */
  filled(value: number): Float64Array {
    return this.replay.column().fill(value)
  }

  /** Whether any run ever said if it changed anything. */
  saysEffect(): boolean {
    return sum(this.base.study.courses.get(this.path)?.details?.said) > 0
  }

  /** Starts of frames, ns. */
  get startNs(): Float64Array {
    return this.base.study.frames.startNs
  }

  /** A frame's usual length, ms. */
  get frameMs(): number {
    const { durationNs } = this.base.study.frames
    return this.base.once('frame ms', () =>
      durationNs.length === 0 ? 0 : percentileInPlace(durationNs.slice(), 0.5) / 1e6,
    )
  }

  /** Births and deaths of a class. */
  lives(id: number): LifeSeries | undefined {
    return this.base.study.lives.get(id)
  }

  /** What updaters of the path's marker say; undefined where there are none. */
  updaters(): UpdaterSeries | undefined {
    const { declarations, updaters } = this.base.study
    const { id: marker } = this.marker
    for (const [id, series] of updaters) if (declarations.classOf(id).marker === marker) return series
    return undefined
  }

  /** What the frames leave of the budget without this path, ns: in the middle, and in all but one of twenty. */
  headroomNs(): { typical: number; p95: number } {
    const tree = this.treeNs()
    const others = this.replay.workNs.map((ns, frame) => ns - tree[frame]!)
    return {
      typical: this.base.budgetNs - percentileInPlace(others, 0.5),
      p95: this.base.budgetNs - percentileInPlace(others, 0.95),
    }
  }

  /** Time of all frames, s. */
  get secondsRecorded(): number {
    return this.base.evidence.seconds
  }
}
