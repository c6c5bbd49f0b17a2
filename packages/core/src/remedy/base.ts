/** What every forecast on a take starts from, worked out once. */
import {
  allocationOf,
  collectionsOf,
  gatherEvidence,
  heapOf,
  RAMP_MOMENT,
  type Collection,
  type Evidence,
} from '../detect/index.ts'
import { percentileInPlace, sum } from '../stats/index.ts'
import { dense, factorByFrame, pacingOf, sideOf, type Study } from '../study/index.ts'
import { NO_PATH } from '../take/index.ts'

export const COLUMNS = ['selfNs', 'calls', 'bytes', 'needlessNs', 'repeatedNs'] as const
/** What one path did, one element a frame. Needless and repeated runs with all inside them. */
export type PathColumns = Record<(typeof COLUMNS)[number], Float64Array>

export interface Base {
  evidence: Evidence
  study: Study
  count: number
  budgetNs: number
  /** Bytes allocated in each frame; null where nobody knows. */
  allocated: Float64Array | null
  /** Whether any path says what it allocates. */
  bytesByPath: boolean
  /** By kind, in order of frames. */
  collections: Collection[][]
  /** Length of a refresh, or of the limit, that frames wait for, ns; null where they wait for none. */
  periodNs: number | null
  /** Largest heap seen, bytes; null where it is not known. */
  heapBytes: number | null
  /** How many times as long as usual code takes, by frame; 1 where the machine is as usual, or nobody can tell. */
  slowness: Float64Array
  /** As recorded; to be read, not written. */
  columns(path: number): PathColumns
  /** The column of all that say nothing about themselves. */
  zeros: Float64Array
  /** Numbers of the path and of all inside it that ran, outermost first; without collections. */
  inside(path: number): number[]
  /**
   * A column to be written, with anything in it. Fresh memory costs more than the arithmetic on it: who is done with
   * a column gives it back.
   */
  borrow(): Float64Array
  giveBack(columns: readonly Float64Array[]): void
  /** What only the recorded frames decide is worked out once: while a parameter is dragged it stays. */
  once<T>(key: string, make: () => T): T
}

export function baseOf(study: Study, evidence: Evidence = gatherEvidence(study)): Base {
  const { count, budgetNs } = evidence
  const columns = new Map<number, PathColumns>()
  const zeros = new Float64Array(count)
  const spare: Float64Array[] = []
  const insides = new Map<number, number[]>()
  const known = new Map<string, unknown>()
  return {
    evidence,
    study,
    count,
    budgetNs,
    allocated: allocatedOf(evidence),
    bytesByPath: [...study.courses.values()].some(({ details }) => sum(details?.bytes) > 0),
    collections: byKind(collectionsOf(study)),
    periodNs: refreshPeriod(study),
    heapBytes: highestHeap(study),
    slowness: slownessOf(evidence),
    zeros,
    columns(path) {
      let own = columns.get(path)
      if (own === undefined) columns.set(path, (own = columnsOf(study, path, count, zeros)))
      return own
    },
    inside(path) {
      let inside = insides.get(path)
      if (inside === undefined) insides.set(path, (inside = insideOf(study, path)))
      return inside
    },
    borrow: () => spare.pop() ?? new Float64Array(count),
    giveBack: (columns) => void spare.push(...columns),
    once<T>(key: string, make: () => T): T {
      if (!known.has(key)) known.set(key, make())
      return known.get(key) as T
    },
  }
}

/** In a ramp nobody can tell load from machine. */
function slownessOf({ study, speed, count }: Evidence): Float64Array {
  if (study.moments.some(({ name }) => name === RAMP_MOMENT)) return new Float64Array(count).fill(1)
  return factorByFrame(speed, count).map((factor) => (sideOf(factor) === 0 ? 1 : factor))
}

/** Frames of which it is not known allocated as much as the others, on average. */
function allocatedOf(evidence: Evidence): Float64Array | null {
  const { allocated, allocatedFrom } = allocationOf(evidence)
  if (allocatedFrom === 'nothing') return null
  let known = 0
  let total = 0
  for (const bytes of allocated) {
    if (Number.isNaN(bytes)) continue
    known++
    total += bytes
  }
  return known === 0 ? null : allocated.map((bytes) => (Number.isNaN(bytes) ? total / known : bytes))
}

function byKind(collections: Collection[]): Collection[][] {
  const kinds = [...new Set(collections.map(({ kind }) => kind))]
  return kinds.map((kind) => collections.filter((collection) => collection.kind === kind))
}

/** A refresh that frames wait for shows in most durations; else as the middle of those that waited for it. */
function refreshPeriod({ frames }: Study): number | null {
  const waited = frames.durationNs.filter((_, frame) => frames.waitNs.refresh[frame]! > 0)
  if (waited.length === 0) return null
  const { periodMs } = pacingOf(frames.durationNs)
  return periodMs === null ? percentileInPlace(waited, 0.5) : periodMs * 1e6
}

function highestHeap(study: Study): number | null {
  const highest = heapOf(study)?.reduce((most, value) => Math.max(most, value), -Infinity)
  return highest === undefined || !Number.isFinite(highest) ? null : highest
}

function columnsOf(study: Study, path: number, count: number, zeros: Float64Array): PathColumns {
  const course = study.courses.get(path)
  const details = course?.details ?? null
  const times = { selfNs: dense(course, 'selfNs', count), calls: dense(course, 'calls', count) }
  if (details === null) return { ...times, bytes: zeros, needlessNs: zeros, repeatedNs: zeros }
  const spread = (values: ArrayLike<number>) => {
    const column = new Float64Array(count)
    course!.frame.forEach((frame, cell) => (column[frame] = values[cell]!))
    return column
  }
  const bytes = spread(details.bytes)
  // Runs of which it is not known allocate as much as the others.
  const known = sum(course!.calls) - sum(details.unknownBytes)
  const each = known > 0 ? sum(details.bytes) / known : 0
  course!.frame.forEach((frame, cell) => (bytes[frame]! += details.unknownBytes[cell]! * each))
  return {
    ...times,
    bytes,
    needlessNs: spread(details.needlessNs),
    repeatedNs: spread(details.repeatedNs),
  }
}

function insideOf({ paths, courses }: Study, path: number): number[] {
  const within = new Set<number>([path])
  // A parent's number is below its children's.
  for (let id = path + 1; id < paths.all.length; id++) {
    const { parent, kind } = paths.get(id)
    if (parent !== NO_PATH && within.has(parent) && kind !== 'collect') within.add(id)
  }
  return [...within].filter((id) => courses.has(id))
}
