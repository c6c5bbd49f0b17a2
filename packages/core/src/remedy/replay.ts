/** The recorded frames, with what a plan has changed so far. */
import { lowerBound, sum } from '../stats/index.ts'
import { MAIN_LANE, WAIT_REASONS, type WaitReason } from '../take/index.ts'
import { COLUMNS, type Base, type PathColumns } from './base.ts'
import type { Change } from './change.ts'

export class Replay {
  readonly base: Base
  /** Main-lane work by frame, ns; collections as recorded. */
  readonly workNs: Float64Array
  readonly waitNs: Record<WaitReason, Float64Array>
  /** Bytes allocated more (or less, below 0) than recorded. */
  readonly extraBytes: Float64Array
  /** Bytes alive at the end of each frame that collections need not carry along any more. */
  readonly carriedBytes: Float64Array
  bytesChanged = false
  /** Facts that remedies have used up, such as the idle instances of a class. */
  readonly used = new Set<string>()
  /** Fixed steps that a frame may run. */
  mostSteps = Infinity
  readonly #columns = new Map<number, PathColumns>()
  /** Columns of paths that another replay changed first: to be read, not written. */
  readonly #before: ReadonlyMap<number, PathColumns>
  readonly #borrowed: Float64Array[] = []
  /** Takes what counts nowhere. */
  readonly #elsewhere: Float64Array

  /** @param before to go on from; it must not be released before this one is */
  constructor(base: Base, before: Replay | null = null) {
    this.base = base
    const { workNs, waitNs } = before ?? base.study.frames
    this.workNs = this.#copyOf(workNs)
    this.waitNs = Object.fromEntries(
      WAIT_REASONS.map((reason) => [reason, this.#copyOf(waitNs[reason])]),
    ) as Record<WaitReason, Float64Array>
    this.extraBytes = before === null ? this.column() : this.#copyOf(before.extraBytes)
    this.carriedBytes = before === null ? this.column() : this.#copyOf(before.carriedBytes)
    this.#elsewhere = this.column()
    this.#before = before === null ? new Map() : new Map([...before.#before, ...before.#columns])
    if (before === null) return
    this.bytesChanged = before.bytesChanged
    this.mostSteps = before.mostSteps
    for (const fact of before.used) this.used.add(fact)
  }

  /** A column of zeros that is given back with the replay. */
  column(): Float64Array {
    const column = this.base.borrow().fill(0)
    this.#borrowed.push(column)
    return column
  }

  /** Lets others use its memory: nothing may be asked of it afterwards. */
  release(): void {
    this.base.giveBack(this.#borrowed.splice(0))
  }

  #copyOf(values: Float64Array): Float64Array {
    const copy = this.base.borrow()
    copy.set(values)
    this.#borrowed.push(copy)
    return copy
  }

  /** What a path does as things stand; to be read, not written. */
  columns(path: number): PathColumns {
    return this.#touched(path) ?? this.base.columns(path)
  }

  #touched(path: number): PathColumns | undefined {
    return this.#columns.get(path) ?? this.#before.get(path)
  }

  /** Own time of a path in one frame, without laying out columns of what is as recorded. */
  selfAt(path: number, frame: number): number {
    return this.#touched(path)?.selfNs[frame] ?? recordedSelf(this.base, path, frame)
  }

  /** Adds the own time of a path to a column, in the same way. */
  addSelf(path: number, target: Float64Array): void {
    const touched = this.#touched(path)
    if (touched !== undefined) addTo(target, touched.selfNs)
    else addRecordedSelf(this.base, path, target)
  }

  /** Time of a path with all inside it, waiting included, by frame. */
  treeNs(path: number): Float64Array {
    const tree = this.column()
    for (const id of this.base.inside(path)) addTo(tree, this.columns(id).selfNs)
    return tree
  }

  apply(change: Change): void {
    if (change.jobWaitNs !== undefined) addTo(this.waitNs.job, change.jobWaitNs)
    if (change.extraBytes !== undefined) {
      addTo(this.extraBytes, change.extraBytes)
      this.bytesChanged = true
    }
    if (change.carriedBytes !== undefined) addTo(this.carriedBytes, change.carriedBytes)
    if (change.path === null) return
    const { path, keep, put, extraNs, keepBytes = keep, keepNeedless = keep } = change
    if (change.mostSteps !== undefined) this.mostSteps = Math.min(this.mostSteps, change.mostSteps)
    const ids = change.alone === true ? [path] : this.base.inside(path)
    const removedNs = keep !== undefined && change.clears !== undefined ? this.#removed(ids, keep) : null
    const shares = put === undefined ? null : this.#shares(ids)
    ids.forEach((id, i) => {
      const columns = this.#own(id)
      const timeOf = this.#timeColumn(id)
      if (keep !== undefined) keepOf(columns.selfNs, timeOf, keep)
      if (put !== undefined && shares![i]! > 0) addTime(columns.selfNs, timeOf, put, shares![i]!)
      if (extraNs !== undefined && id === path) addTime(columns.selfNs, timeOf, extraNs, 1)
      if (keepBytes !== undefined) this.#keepBytes(columns, keepBytes)
      const runsStay = keep === undefined || change.sameRuns === true
      if (!runsStay) multiply(columns.calls, keep)
      if (put !== undefined && change.sameRuns !== true) this.#moveRuns(id, columns.calls, put, shares![i]!)
      if (runsStay) return
      for (const column of ['needlessNs', 'repeatedNs'] as const) {
        if (columns[column] === this.base.zeros) continue
        if (column === `${change.clears}Ns` && id === path) takeAway(columns[column], removedNs!)
        else multiply(columns[column], column === 'needlessNs' ? keepNeedless! : keep)
      }
    })
  }

  #keepBytes({ bytes }: PathColumns, keep: Float64Array): void {
    if (bytes === this.base.zeros) return
    const { extraBytes } = this
    for (let frame = 0; frame < bytes.length; frame++) {
      const before = bytes[frame]!
      const left = before * keep[frame]!
      if (left === before) continue
      extraBytes[frame]! += left - before
      bytes[frame] = left
      this.bytesChanged = true
    }
  }

  /** Moved time brings its runs along, at what a run usually takes. */
  #moveRuns(path: number, calls: Float64Array, put: Float64Array, share: number): void {
    const runsPerNs = this.base.once(`runs per ns ${path}`, () => {
      const recorded = this.base.columns(path)
      const ns = sum(recorded.selfNs)
      return ns > 0 ? sum(recorded.calls) / ns : 0
    })
    const factor = share * runsPerNs
    for (let frame = 0; frame < put.length; frame++) calls[frame]! += put[frame]! * factor
  }

  /** A path's columns to be written. */
  #own(path: number): PathColumns {
    const known = this.#columns.get(path)
    if (known !== undefined) return known
    const recorded = this.columns(path)
    const own = Object.fromEntries(
      COLUMNS.map((name) => [
        name,
        recorded[name] === this.base.zeros ? recorded[name] : this.#copyOf(recorded[name]),
      ]),
    ) as PathColumns
    this.#columns.set(path, own)
    return own
  }

  /** Where a path's time counts: as work, as waiting for something, or, on another lane, nowhere. */
  #timeColumn(path: number): Float64Array {
    const { lane, kind } = this.base.study.paths.get(path)
    if (lane !== MAIN_LANE) return this.#elsewhere
    return kind.startsWith('wait:') ? this.waitNs[kind.slice('wait:'.length) as WaitReason] : this.workNs
  }

  #removed(ids: number[], keep: Float64Array): Float64Array {
    const removed = new Float64Array(this.base.count)
    for (const id of ids) addTo(removed, this.columns(id).selfNs)
    for (let frame = 0; frame < removed.length; frame++) removed[frame]! *= 1 - keep[frame]!
    return removed
  }

  /** How the time of a path is shared out among it and what is inside it, over all frames. */
  #shares(ids: number[]): number[] {
    const sums = ids.map((id) => sum(this.columns(id).selfNs))
    const all = sum(sums)
    return sums.map((ns, i) => (all > 0 ? ns / all : i === 0 ? 1 : 0))
  }
}

export function recordedSelf({ study }: Base, path: number, frame: number): number {
  const course = study.courses.get(path)
  if (course === undefined) return 0
  const cell = lowerBound(course.frame, frame)
  return course.frame[cell] === frame ? course.selfNs[cell]! : 0
}

export function addRecordedSelf({ study }: Pick<Base, 'study'>, path: number, target: Float64Array): void {
  const course = study.courses.get(path)
  if (course === undefined) return
  const { frame, selfNs } = course
  for (let cell = 0; cell < frame.length; cell++) target[frame[cell]!]! += selfNs[cell]!
}

export function addTo(target: Float64Array, more: Float64Array): void {
  for (let i = 0; i < target.length; i++) target[i]! += more[i]!
}

/** Leaves its share of a path's time in each frame. @param timeOf what the time counts as */
function keepOf(selfNs: Float64Array, timeOf: Float64Array, keep: Float64Array): void {
  for (let frame = 0; frame < selfNs.length; frame++) {
    const before = selfNs[frame]!
    if (before === 0) continue
    const after = before * keep[frame]!
    if (after === before) continue
    selfNs[frame] = after
    timeOf[frame] = Math.max(0, timeOf[frame]! + after - before)
  }
}

function addTime(selfNs: Float64Array, timeOf: Float64Array, more: Float64Array, share: number): void {
  for (let frame = 0; frame < selfNs.length; frame++) {
    const ns = more[frame]! * share
    selfNs[frame]! += ns
    timeOf[frame]! += ns
  }
}

function multiply(target: Float64Array, by: Float64Array): void {
  for (let i = 0; i < target.length; i++) target[i]! *= by[i]!
}

function takeAway(target: Float64Array, less: Float64Array): void {
  for (let i = 0; i < target.length; i++) target[i] = Math.max(0, target[i]! - less[i]!)
}
