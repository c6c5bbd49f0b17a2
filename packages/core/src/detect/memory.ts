/** Where memory goes: the heap over the frames, who allocates, what is collected, what only grows. */
import { BYTES_UNKNOWN } from '../format/index.ts'
import { mannKendall, mean, median, sum, theilSen } from '../stats/index.ts'
import { countedSeconds, type Study } from '../study/index.ts'
import { allocatorsOf, timesOf, usualPauseNs, type Allocator, type Collection } from './collections.ts'
import { perSecond, type Evidence } from './gather-evidence.ts'
import { blocksOf, GROWTH_LIMITS, growthOf, type Growth } from './growing.ts'
import { instancesOf, type InstanceSeries } from './instances.ts'

export interface CollectionKind {
  kind: string
  count: number
  perMinute: number
  totalNs: number
  medianNs: number
  worstNs: number
  worstFrame: number
  /** Median time from one to the next, ms; null for fewer than two. */
  everyMs: number | null
  /** Share of the blame, by path, over all of this kind; empty where bytes are not known. */
  blame: { path: number; share: number }[]
}

export interface ClassFigures extends Omit<InstanceSeries, 'alive'> {
  /** Least, most and last number alive. */
  least: number
  most: number
  now: number
  bornPerSecond: number
  diedPerSecond: number
  growth: Growth | null
}

export interface Memory {
  /** Bytes on the heap at the end of each frame; null where no gauge of that name and unit tells. */
  heap: Float64Array | null
  /** Bytes allocated in each frame, NaN where not known: measured, or from the heap's rises. */
  allocated: Float64Array
  allocatedFrom: 'bytes' | 'heap' | 'nothing'
  bytesPerSecond: number
  collections: CollectionKind[]
  allocators: Allocator[]
  classes: ClassFigures[]
  /** Gauges that only grow. */
  growing: { gauge: number; name: string; unit: string; growth: Growth }[]
  /** Time until the next collection at the present rate, ms; null when not known. */
  nextCollectionMs: number | null
  /** The device's memory, bytes, if the conditions give it. */
  limitBytes: number | null
  /** Time until the heap reaches it as it grows now, s; null where it does not grow, or nobody knows. */
  limitInS: number | null
}

/** The gauge and the condition by which memory is known. */
export const HEAP_GAUGE = 'heap'
export const MEMORY_LIMIT = 'memory limit MB'

export function memoryOf(evidence: Evidence): Memory {
  const { study } = evidence
  const kinds = collectionKinds(evidence)
  const seconds = countedSeconds(study)
  const limit = study.conditions.more?.[MEMORY_LIMIT]
  const limitBytes = typeof limit === 'number' ? limit * 1e6 : null
  return {
    heap: heapOf(study),
    ...allocationOf(evidence),
    collections: kinds,
    allocators: allocatorsOf(study),
    classes: instancesOf(study).map(({ alive, ...series }) => ({
      ...series,
      ...extremes(alive),
      bornPerSecond: seconds > 0 ? series.born / seconds : 0,
      diedPerSecond: seconds > 0 ? series.died / seconds : 0,
      growth: growthOf(study, alive, series.relative),
    })),
    growing: [...study.gauges].flatMap(([gauge, values]) => {
      const growth = growthOf(study, values)
      const { name, unit } = study.declarations.gauge(gauge)
      return growth === null ? [] : [{ gauge, name, unit, growth }]
    }),
    nextCollectionMs: nextCollection(evidence, kinds),
    limitBytes,
    limitInS: limitBytes === null ? null : timeUntil(study, limitBytes),
  }
}

/** The heap's floor is read in so many blocks: between collections it always rises. */
const FLOOR_BLOCKS = 60

/** When what stays on the heap after collections reaches the limit, s from the end; null where it does not rise. */
function timeUntil(study: Study, limitBytes: number): number | null {
  const heap = heapOf(study)
  const from = heap?.findIndex((bytes) => !Number.isNaN(bytes)) ?? -1
  if (heap === null || from < 0) return null
  const floor = blocksOf(heap, from, FLOOR_BLOCKS, (block) => Math.min(...block))
  const seconds = blocksOf(study.frames.startNs, from, FLOOR_BLOCKS).map((ns) => ns / 1e9)
  const { s, p } = mannKendall(floor)
  const perSecond = theilSen(seconds, floor)
  if (!(s > 0 && p < GROWTH_LIMITS.SIGNIFICANT && perSecond > 0)) return null
  return Math.max(0, limitBytes - floor.at(-1)!) / perSecond
}

/** Bytes on the heap at the end of each frame; null where no gauge tells. */
export function heapOf({
  declarations,
  gauges,
}: Pick<Study, 'declarations' | 'gauges'>): Float64Array | null {
  const gauge = [...declarations.gauges.values()].find(({ name }) => name === HEAP_GAUGE)
  return gauge === undefined ? null : (gauges.get(gauge.id) ?? null)
}

export function allocationOf(
  evidence: Evidence,
): Pick<Memory, 'allocated' | 'allocatedFrom' | 'bytesPerSecond'> {
  const { allocated, allocatedFrom } = allocatedByFrame(evidence)
  const known = allocated.filter((value) => !Number.isNaN(value))
  // Frames that tell nothing are taken to be like the others.
  const all = known.length === 0 ? 0 : mean(known) * allocated.length
  return { allocated, allocatedFrom, bytesPerSecond: perSecond(evidence, all) }
}

function allocatedByFrame(evidence: Evidence): Pick<Memory, 'allocated' | 'allocatedFrom'> {
  const { study, count } = evidence
  const { bytes } = study.frames
  if (bytes.some((value) => value >= 0)) {
    return {
      allocated: bytes.map((value) => (value === BYTES_UNKNOWN ? NaN : value)),
      allocatedFrom: 'bytes',
    }
  }
  const allocated = new Float64Array(count).fill(NaN)
  const heap = heapOf(study)
  if (heap === null) return { allocated, allocatedFrom: 'nothing' }
  for (let frame = 1; frame < count; frame++) {
    const rise = heap[frame]! - heap[frame - 1]!
    // A fall hides what was allocated before the collection.
    if (rise >= 0) allocated[frame] = rise
  }
  return { allocated, allocatedFrom: 'heap' }
}

/** The kind that pauses longest first. */
export function collectionKinds(evidence: Evidence): CollectionKind[] {
  const { collections } = evidence
  return [...new Set(collections.map(({ kind }) => kind))]
    .map((kind) =>
      kindFigures(
        evidence,
        kind,
        collections.filter((collection) => collection.kind === kind),
      ),
    )
    .sort((a, b) => b.totalNs - a.totalNs)
}

function kindFigures(evidence: Evidence, kind: string, own: Collection[]): CollectionKind {
  const { study } = evidence
  const pauses = own.map(({ pauseNs }) => pauseNs)
  const worst = own.reduce((a, b) => (b.pauseNs > a.pauseNs ? b : a))
  const starts = own.map(({ frame }) => study.frames.startNs[frame]! / 1e6)
  const gaps = starts.slice(1).map((start, i) => start - starts[i]!)
  const bytes = new Map<number, number>()
  let all = 0
  for (const { blame } of own) {
    for (const share of blame) {
      bytes.set(share.path, (bytes.get(share.path) ?? 0) + share.bytes)
      all += share.bytes
    }
  }
  const count = timesOf(own)
  return {
    kind,
    count,
    perMinute: perSecond(evidence, count) * 60,
    totalNs: sum(pauses),
    medianNs: usualPauseNs(own),
    worstNs: worst.pauseNs,
    worstFrame: worst.frame,
    everyMs: gaps.length === 0 ? null : median(gaps),
    blame: [...bytes].map(([path, own]) => ({ path, share: own / all })).sort((a, b) => b.share - a.share),
  }
}

function extremes(alive: Float64Array): { least: number; most: number; now: number } {
  const known = alive.filter((value) => !Number.isNaN(value))
  return {
    least: known.reduce((a, b) => Math.min(a, b), Infinity),
    most: known.reduce((a, b) => Math.max(a, b), -Infinity),
    now: known.at(-1) ?? NaN,
  }
}

/** From the usual gap of the commonest kind, less the time since its last. */
function nextCollection({ study, collections, count }: Evidence, kinds: CollectionKind[]): number | null {
  const commonest = kinds.reduce<CollectionKind | null>(
    (a, b) => (a === null || b.count > a.count ? b : a),
    null,
  )
  if (commonest === null || commonest.everyMs === null) return null
  const last = collections.filter(({ kind }) => kind === commonest.kind).at(-1)!
  const { startNs, durationNs } = study.frames
  const sinceMs = (startNs[count - 1]! + durationNs[count - 1]! - startNs[last.frame]!) / 1e6
  return Math.max(0, commonest.everyMs - sinceMs)
}
