/** Devices, each with what it was played with, by figures: what holds where. */
import { median } from '../stats/index.ts'
import { alike, versionOf, type HistoryTake } from './history.ts'
import { TARGETS } from './sums.ts'

/** A target holds where at most this share of the frames is over. */
export const HOLDS_SHARE = 0.01

export interface DeviceRow {
  device: string
  /** What else the takes have in common, in words. */
  about: string
  /** The last that was recorded: its takes alone count. */
  version: string
  takes: number
  /** The newest of them. */
  latest: string
  meanMs: number
  p95Ms: number
  /** By target, 0 to 1. */
  overShare: number[]
  collectionsPer1000: number
  heapBytes: number | null
  /** By load: how many of it the device holds at each target, by the law it follows; null where it never breaks. */
  loads: { name: string; usual: number; breaksAt: (number | null)[] }[]
}

export interface Devices {
  targets: readonly number[]
  /** The slowest first. */
  rows: DeviceRow[]
  /** By target: number of the slowest row that holds it; null where none does. */
  lowest: (number | null)[]
}

export function devicesOf(takes: readonly HistoryTake[]): Devices {
  const rows = [...alike(takes)].map(([about, own]) => rowOf(about, own)).sort((a, b) => b.p95Ms - a.p95Ms)
  const lowest = TARGETS.map((_, target) => {
    const at = rows.findIndex(({ overShare }) => overShare[target]! <= HOLDS_SHARE)
    return at < 0 ? null : at
  })
  return { targets: TARGETS, rows, lowest }
}

function rowOf(about: string, all: readonly HistoryTake[]): DeviceRow {
  const newest = all.reduce((last, take) => (take.started > last.started ? take : last))
  const version = versionOf(newest.conditions)
  const own = all.filter(({ conditions }) => versionOf(conditions) === version)
  const middle = (of: (take: HistoryTake) => number) => median(own.map(of))
  const heaps = own.flatMap(({ sums }) => sums.heapBytes ?? [])
  const device = newest.conditions.device ?? 'not told'
  return {
    ...{ device, version, takes: own.length, latest: newest.id },
    about: about.startsWith(`${device}, `) ? about.slice(device.length + 2) : about,
    meanMs: middle(({ sums }) => sums.meanMs),
    p95Ms: middle(({ sums }) => sums.p95Ms),
    overShare: TARGETS.map((_, target) => middle(({ sums }) => sums.overShare[target]!)),
    collectionsPer1000: middle(({ sums }) => sums.collectionsPer1000),
    heapBytes: heaps.length === 0 ? null : median(heaps),
    // Laws do not add up: the newest take's stand.
    loads: newest.sums.loads,
  }
}
