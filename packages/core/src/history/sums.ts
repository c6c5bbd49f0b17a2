/** A take summed up, so that a history of hundreds reads no take twice. */
import {
  breakingLoad,
  fitFrames,
  gatherEvidence,
  HEAP_GAUGE,
  loadSources,
  rampFrames,
} from '../detect/index.ts'
import { BYTES_UNKNOWN } from '../format/index.ts'
import { groupFigures } from '../remedy/index.ts'
import { mean, median, percentileSorted, sum } from '../stats/index.ts'
import { frameCount, pathNames, recordedSeconds, type Study } from '../study/index.ts'
import { isLate, MAIN_LANE, NS_PER_MS } from '../take/index.ts'

/** Raised whenever sums of before would not do any more: they are made anew then. */
export const SUMS_VERSION = 2

/** Frames a second by which a device is judged, whatever a take was recorded for. */
export const TARGETS = [30, 60, 90, 120, 144] as const

export interface PathSums {
  path: string[]
  lane: string
  /** Own time, ms a frame. */
  msPerFrame: number
  callsPerFrame: number
  /** Null where bytes were not recorded. */
  bytesPerFrame: number | null
}

export interface LoadSums {
  name: string
  /** Middle over the frames. */
  usual: number
  /** The load at which the work of a frame reaches the budget, by the law it follows; by target, null where it never does. */
  breaksAt: (number | null)[]
}

export interface GroupSums {
  group: string
  /** Own time of its working markers on the main lane, ms a frame. */
  msPerFrame: number
}

export interface TakeSums {
  frames: number
  seconds: number
  meanMs: number
  p50Ms: number
  p95Ms: number
  p99Ms: number
  /** By target, 0 to 1. */
  overShare: number[]
  lateShare: number
  collectionsPer1000: number
  /** Null where not known. */
  bytesPerFrame: number | null
  /** Most on the heap; null where no gauge tells. */
  heapBytes: number | null
  loads: LoadSums[]
  /** Of the main lane and others; waits for the refresh left out. */
  paths: PathSums[]
  groups: GroupSums[]
}

/** Paths that take less than this share of a frame at 60 a second are left out, ms. */
const TRIFLE_MS = 0.002

/** @returns null for a take without frames */
export function sumsOf(study: Study): TakeSums | null {
  const count = frameCount(study)
  if (count === 0) return null
  const { frames } = study
  const work = frames.workNs.slice().sort()
  const at = (p: number) => percentileSorted(work, p) / NS_PER_MS
  const known = frames.bytes.filter((bytes) => bytes !== BYTES_UNKNOWN)
  const budgetNs = 1e9 / study.target
  return {
    frames: count,
    seconds: recordedSeconds(study),
    ...{ meanMs: mean(work) / NS_PER_MS, p50Ms: at(0.5), p95Ms: at(0.95), p99Ms: at(0.99) },
    overShare: TARGETS.map((target) => shareOf(work, (ns) => ns > 1e9 / target)),
    lateShare: shareOf(frames.durationNs, (ns) => isLate(ns, budgetNs)),
    collectionsPer1000: (1000 * sum(frames.collections)) / count,
    bytesPerFrame: known.length === 0 ? null : mean(known),
    heapBytes: mostOnHeap(study),
    loads: loadsOf(study),
    paths: pathsOf(study, count),
    groups: groupFigures({ study, count }, null, {}).map(({ group, meanMs }) => ({
      group,
      msPerFrame: meanMs,
    })),
  }
}

const shareOf = (values: Float64Array, is: (value: number) => boolean): number =>
  values.reduce((hits, value) => hits + (is(value) ? 1 : 0), 0) / values.length

function mostOnHeap({ declarations, gauges }: Study): number | null {
  const gauge = [...declarations.gauges.values()].find(
    ({ name, unit }) => name === HEAP_GAUGE && unit === 'bytes',
  )
  const values = gauge === undefined ? undefined : gauges.get(gauge.id)
  const most = values?.reduce((so, value) => (value > so ? value : so), -1) ?? -1
  return most < 0 ? null : most
}

function loadsOf(recorded: Study): LoadSums[] {
  const { even, isNormal, count } = gatherEvidence(recorded)
  const { study } = even()
  const inRamp = rampFrames(study.moments, count)
  const use = isNormal.map((is, frame) => is & inRamp[frame]!)
  return loadSources(study).flatMap(({ name, values, relative }) => {
    const told = values.filter(Number.isFinite)
    if (relative || told.length === 0) return []
    const scaling = fitFrames(values, study.frames.workNs, use)
    return [
      { name, usual: median(told), breaksAt: TARGETS.map((target) => breakingLoad(scaling, 1e9 / target)) },
    ]
  })
}

function pathsOf(study: Study, count: number): PathSums[] {
  const knowsBytes = study.conditions.mode === 'bytes'
  const named = new Map<string, PathSums>()
  for (const { path: id, selfNs, calls, details } of study.courses.values()) {
    const { lane, kind } = study.paths.get(id)
    if (kind === 'wait:refresh') continue
    const laneName = study.declarations.lane(lane).name
    const path = pathNames(study, id)
    const own: PathSums = {
      ...{ path, lane: laneName },
      msPerFrame: sum(selfNs) / count / NS_PER_MS,
      callsPerFrame: sum(calls) / count,
      bytesPerFrame: knowsBytes ? sum(details?.bytes) / count : null,
    }
    if (own.msPerFrame < TRIFLE_MS && lane === MAIN_LANE) continue
    const key = [laneName, ...path].join('\n')
    const known = named.get(key)
    // Markers of one name may be several.
    named.set(key, known === undefined ? own : addedUp(known, own))
  }
  return [...named.values()]
}

const addedUp = (one: PathSums, other: PathSums): PathSums => ({
  ...one,
  msPerFrame: one.msPerFrame + other.msPerFrame,
  callsPerFrame: one.callsPerFrame + other.callsPerFrame,
  bytesPerFrame:
    one.bytesPerFrame === null || other.bytesPerFrame === null
      ? null
      : one.bytesPerFrame + other.bytesPerFrame,
})
