/** One frame as it would have been: its runs, each as long as the plan leaves it. */
import { MAIN_LANE, NO_PATH, type PathTable, type WaitReason } from '../take/index.ts'
import type { Forecasted } from './forecast.ts'

/** What each path of the main lane takes by itself in one frame. */
export interface FrameAfter {
  durationNs: number
  path: Uint32Array
  selfNs: Float64Array
}

/** The runs of one frame, lane after lane, parents before their children; times in ns. */
export interface FrameSpans {
  path: Uint32Array
  startNs: Float64Array
  durationNs: Float64Array
}

export function frameAfter({ forecast, replay }: Forecasted, frame: number): FrameAfter {
  const { base } = replay
  const { paths, courses, frames } = base.study
  const { waitNs, collectNs, durationNs } = forecast.frames
  const rows: [number, number][] = []
  let collectionSeen = false
  for (const id of courses.keys()) {
    const { kind, lane } = paths.get(id)
    if (lane !== MAIN_LANE) continue
    const selfNs = replay.selfAt(id, frame)
    if (kind === 'collect') {
      const before = frames.collectNs[frame]!
      const now = collectNs[frame]!
      // Where none was, one path stands for all of it.
      const own = before > 0 ? (selfNs * now) / before : collectionSeen ? 0 : now
      collectionSeen = true
      if (own > 0) rows.push([id, own])
      continue
    }
    const reason = kind.startsWith('wait:') ? (kind.slice('wait:'.length) as WaitReason) : null
    const left = reason === null ? 1 : ratio(waitNs[reason][frame]!, replay.waitNs[reason][frame]!)
    if (selfNs * left > 0) rows.push([id, selfNs * left])
  }
  return {
    durationNs: durationNs[frame]!,
    path: Uint32Array.from(rows, ([id]) => id),
    selfNs: Float64Array.from(rows, ([, ns]) => ns),
  }
}

const ratio = (now: number, before: number): number => (before > 0 ? now / before : 1)

/**
 * The runs as they would have been: own time in proportion, children after one another as they were. What runs in
 * this frame only by the plan comes at the end of what it belongs to. Other lanes stay as recorded.
 * @param frameStartNs where the frame begins
 * @returns the runs, and of which recorded one each is; −1 for those that were not
 */
export function spansAfter(
  spans: FrameSpans,
  frameStartNs: number,
  paths: PathTable,
  after: FrameAfter,
): FrameSpans & { from: Int32Array } {
  const tree = mainTree(spans, paths)
  const now = new Map(Array.from(after.path, (path, i) => [path, after.selfNs[i]!]))
  const added = addedUnder(spans, paths, now, tree.recorded)
  const rows = [...new Placer(spans, tree, now, added).placeAll(frameStartNs), ...otherLanes(spans, paths)]
  return {
    path: Uint32Array.from(rows, ({ path }) => path),
    startNs: Float64Array.from(rows, ({ startNs }) => startNs),
    durationNs: Float64Array.from(rows, ({ durationNs }) => durationNs),
    from: Int32Array.from(rows, ({ from }) => from),
  }
}

/** One run as it would have been; `from` is the recorded one, or −1. */
interface Row {
  path: number
  startNs: number
  durationNs: number
  from: number
}

/** The main lane's runs as a tree, and what each path took by itself. */
interface MainTree {
  roots: number[]
  children: number[][]
  recorded: Map<number, number>
}

function mainTree({ path, durationNs }: FrameSpans, paths: PathTable): MainTree {
  const children: number[][] = Array.from(path, () => [])
  const roots: number[] = []
  const open: number[] = []
  const main: number[] = []
  for (let span = 0; span < path.length; span++) {
    const { depth, lane } = paths.get(path[span]!)
    if (lane !== MAIN_LANE) continue
    main.push(span)
    open[depth] = span
    if (depth === 0) roots.push(span)
    else children[open[depth - 1]!]!.push(span)
  }
  const recorded = new Map<number, number>()
  for (const span of main) {
    const selfNs = children[span]!.reduce((left, child) => left - durationNs[child]!, durationNs[span]!)
    recorded.set(path[span]!, (recorded.get(path[span]!) ?? 0) + Math.max(0, selfNs))
  }
  return { roots, children, recorded }
}

/** Lays the runs of the main lane one after the other; gaps between them shrink as their parent does. */
class Placer {
  readonly #rows: Row[] = []

  constructor(
    private readonly spans: FrameSpans,
    private readonly tree: MainTree,
    private readonly now: ReadonlyMap<number, number>,
    private readonly added: ReadonlyMap<number, number[]>,
  ) {}

  placeAll(frameStartNs: number): Row[] {
    const { startNs } = this.spans
    let at = frameStartNs
    let ended = frameStartNs
    for (const root of this.tree.roots) {
      at += Math.max(0, startNs[root]! - ended)
      at = this.#place(root, at)
      ended = this.#endOf(root)
    }
    for (const path of this.added.get(NO_PATH) ?? []) at = this.#placeNew(path, at)
    return this.#rows
  }

  #endOf(span: number): number {
    return this.spans.startNs[span]! + this.spans.durationNs[span]!
  }

  /** @returns where it ends */
  #place(span: number, atNs: number): number {
    const path = this.spans.path[span]!
    const before = this.tree.recorded.get(path)!
    const stays = before > 0 ? (this.now.get(path) ?? 0) / before : 0
    const row = { path, startNs: atNs, durationNs: 0, from: span }
    const index = this.#rows.push(row) - 1
    let at = atNs
    let ended = this.spans.startNs[span]!
    for (const child of this.tree.children[span]!) {
      at += Math.max(0, this.spans.startNs[child]! - ended) * stays
      at = this.#place(child, at)
      ended = this.#endOf(child)
    }
    at += Math.max(0, this.#endOf(span) - ended) * stays
    for (const child of this.added.get(span) ?? []) at = this.#placeNew(child, at)
    row.durationNs = at - atNs
    if (row.durationNs <= 0) this.#rows.splice(index, 1)
    return at
  }

  /** What runs in this frame only by the plan. @returns where it ends */
  #placeNew(path: number, atNs: number): number {
    const row = { path, startNs: atNs, durationNs: 0, from: -1 }
    this.#rows.push(row)
    let at = atNs + (this.now.get(path) ?? 0)
    for (const child of this.added.get(-2 - path) ?? []) at = this.#placeNew(child, at)
    row.durationNs = at - atNs
    return at
  }
}

/** Other lanes stay as they were. */
function otherLanes({ path, startNs, durationNs }: FrameSpans, paths: PathTable): Row[] {
  return [...path.keys()]
    .filter((span) => paths.get(path[span]!).lane !== MAIN_LANE)
    .map((span) => ({
      path: path[span]!,
      startNs: startNs[span]!,
      durationNs: durationNs[span]!,
      from: span,
    }))
}

/**
 * Paths that take time in this frame though none of it was recorded in it, by what they belong to: the last
 * recorded run of their parent; −2 − parent for one that was not recorded either; NO_PATH for none.
 */
function addedUnder(
  spans: FrameSpans,
  paths: PathTable,
  now: ReadonlyMap<number, number>,
  recorded: ReadonlyMap<number, number>,
): Map<number, number[]> {
  const last = new Map<number, number>()
  spans.path.forEach((path, span) => last.set(path, span))
  const added = new Map<number, number[]>()
  // A run that took no time has none to be in proportion to.
  const isFresh = new Set([...now.keys()].filter((path) => !((recorded.get(path) ?? 0) > 0)))
  // What it belongs to, and did not run either, must run for it.
  for (const path of isFresh) {
    const { parent } = paths.get(path)
    if (parent !== NO_PATH && !last.has(parent)) isFresh.add(parent)
  }
  const fresh = [...isFresh].sort((a, b) => a - b)
  for (const path of fresh) {
    const { parent } = paths.get(path)
    const under = last.get(parent) ?? (isFresh.has(parent) ? -2 - parent : NO_PATH)
    added.set(under, [...(added.get(under) ?? []), path])
  }
  return added
}
