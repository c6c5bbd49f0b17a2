/** The recorded frames, with what a plan has changed so far. */
import { lowerBound } from '../stats/index.ts'
import { WAIT_REASONS, type WaitReason } from '../take/index.ts'
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
  readonly #columns = new Map<number, PathColumns>()

  constructor(base: Base) {
    this.base = base
    const { frames } = base.study
    this.workNs = frames.workNs.slice()
    this.waitNs = Object.fromEntries(
      WAIT_REASONS.map((reason) => [reason, frames.waitNs[reason].slice()]),
    ) as Record<WaitReason, Float64Array>
    this.extraBytes = new Float64Array(base.count)
    this.carriedBytes = new Float64Array(base.count)
  }

  /** What a path does as things stand; to be read, not written. */
  columns(path: number): PathColumns {
    return this.#columns.get(path) ?? this.base.columns(path)
  }

  /** Own time of a path in one frame, without laying out columns of what is as recorded. */
  selfAt(path: number, frame: number): number {
    return this.#columns.get(path)?.selfNs[frame] ?? recordedSelf(this.base, path, frame)
  }

  /** Adds the own time of a path to a column, in the same way. */
  addSelf(path: number, target: Float64Array): void {
    const touched = this.#columns.get(path)
    if (touched !== undefined) addTo(target, touched.selfNs)
    else addRecordedSelf(this.base, path, target)
  }

  /** Time of a path with all inside it, waiting included, by frame. */
  treeNs(path: number): Float64Array {
    const tree = new Float64Array(this.base.count)
    for (const id of this.base.inside(path)) addTo(tree, this.columns(id).selfNs)
    return tree
  }

  apply(change: Change): void {
    const { count } = this.base
    if (change.jobWaitNs !== undefined) addTo(this.waitNs.job, change.jobWaitNs)
    if (change.extraBytes !== undefined) {
      addTo(this.extraBytes, change.extraBytes)
      this.bytesChanged = true
    }
    if (change.carriedBytes !== undefined) addTo(this.carriedBytes, change.carriedBytes)
    if (change.path === null) return
    const { path, keep, put, extraNs, keepBytes = keep } = change
    const ids = change.alone === true ? [path] : this.base.inside(path)
    const removedNs = keep !== undefined && change.clears !== undefined ? this.#removed(ids, keep) : null
    const shares = put === undefined ? null : this.#shares(ids)
    ids.forEach((id, i) => {
      const columns = this.#own(id)
      const timeOf = this.#timeColumn(id)
      const { selfNs, calls, bytes } = columns
      for (let frame = 0; frame < count; frame++) {
        const before = selfNs[frame]!
        let after = keep === undefined ? before : before * keep[frame]!
        if (put !== undefined) after += put[frame]! * shares![i]!
        if (extraNs !== undefined && id === path) after += extraNs[frame]!
        if (after !== before) {
          selfNs[frame] = after
          if (timeOf !== null) timeOf[frame] = Math.max(0, timeOf[frame]! + after - before)
          if (change.sameRuns !== true && keep !== undefined) calls[frame]! *= keep[frame]!
        }
        if (keepBytes !== undefined && bytes[frame]! > 0) {
          const left = bytes[frame]! * keepBytes[frame]!
          this.extraBytes[frame]! += left - bytes[frame]!
          this.bytesChanged ||= left !== bytes[frame]
          bytes[frame] = left
        }
      }
      if (put !== undefined) moveRuns(columns, this.base.columns(id), put, shares![i]!)
      if (keep === undefined || change.sameRuns === true) return
      for (const column of ['needlessNs', 'repeatedNs'] as const) {
        if (column === `${change.clears}Ns` && id === path) takeAway(columns[column], removedNs!)
        else multiply(columns[column], keep)
      }
    })
  }

  /** A path's columns to be written. */
  #own(path: number): PathColumns {
    const known = this.#columns.get(path)
    if (known !== undefined) return known
    const recorded = this.base.columns(path)
    const own = Object.fromEntries(COLUMNS.map((name) => [name, recorded[name].slice()])) as PathColumns
    this.#columns.set(path, own)
    return own
  }

  /** Where a path's time counts: work, waiting for something, or on another lane nowhere. */
  #timeColumn(path: number): Float64Array | null {
    const { lane, kind } = this.base.study.paths.get(path)
    if (lane !== 0) return null
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
    const sums = ids.map((id) => this.columns(id).selfNs.reduce((sum, ns) => sum + ns, 0))
    const all = sums.reduce((sum, ns) => sum + ns, 0)
    return sums.map((ns, i) => (all > 0 ? ns / all : i === 0 ? 1 : 0))
  }
}

export function recordedSelf({ study }: Base, path: number, frame: number): number {
  const course = study.courses.get(path)
  if (course === undefined) return 0
  const cell = lowerBound(course.frame, frame)
  return course.frame[cell] === frame ? course.selfNs[cell]! : 0
}

export function addRecordedSelf({ study }: Base, path: number, target: Float64Array): void {
  const course = study.courses.get(path)
  if (course === undefined) return
  const { frame, selfNs } = course
  for (let cell = 0; cell < frame.length; cell++) target[frame[cell]!]! += selfNs[cell]!
}

export function addTo(target: Float64Array, more: Float64Array): void {
  for (let i = 0; i < target.length; i++) target[i]! += more[i]!
}

function multiply(target: Float64Array, by: Float64Array): void {
  for (let i = 0; i < target.length; i++) target[i]! *= by[i]!
}

function takeAway(target: Float64Array, less: Float64Array): void {
  for (let i = 0; i < target.length; i++) target[i] = Math.max(0, target[i]! - less[i]!)
}

/** Moved time brings its runs along, at what a run usually takes. */
function moveRuns({ calls }: PathColumns, recorded: PathColumns, put: Float64Array, share: number): void {
  const runs = recorded.calls.reduce((sum, value) => sum + value, 0)
  const ns = recorded.selfNs.reduce((sum, value) => sum + value, 0)
  if (runs === 0 || ns === 0) return
  for (let frame = 0; frame < put.length; frame++) calls[frame]! += (put[frame]! * share * runs) / ns
}
