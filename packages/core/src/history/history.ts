/** A game over weeks: what its takes say of each version, and where something changed for good. */
import { SAME } from '../compare/index.ts'
import type { Conditions } from '../format/index.ts'
import { falseDiscoveryRates, median } from '../stats/index.ts'
import { changePoints, type ChangePoint } from './change-points.ts'
import { TARGETS, type TakeSums } from './sums.ts'

/** A take as a history reads it. */
export interface HistoryTake {
  id: string
  name: string
  /** RFC 3339. */
  started: string
  target: number
  conditions: Conditions
  sums: TakeSums
  /** What groups may spend on its device, ms a frame. */
  groupBudgets: Readonly<Record<string, number>>
}

export interface HistoryPath {
  path: string[]
  lane: string
  /** Own time, ms a frame, at equal speed of the machine; 0 where it did not run. */
  ms: number[]
  runs: number[]
}

export interface HistoryGroup {
  group: string
  /** Own time of its markers, ms a frame, at equal speed of the machine; 0 where it did not run. */
  ms: number[]
  /** Null where nobody said. */
  budgetMs: number | null
}

export interface Change extends ChangePoint {
  of: 'frames' | 'path'
  /** Of a figure, or of the markers of a path. */
  name: string[]
  lane: string
  /** `ms` and others as in FIGURES. */
  unit: FigureUnit
  fromVersion: string
  toVersion: string
}

/** A path that came, or went, and stayed so. */
export interface Coming {
  path: string[]
  lane: string
  version: string
  /** Number of the first take with it, or without it. */
  at: number
}

/** Takes of like conditions, in order of version and time. */
export interface HistoryLine {
  /** What they have in common, in words. */
  about: string
  target: number
  takes: { id: string; name: string; started: string; version: string }[]
  /** How many times as long unchanged work took in each; all 1 where too few paths tell. */
  speed: number[]
  figures: { name: FigureName; values: (number | null)[] }[]
  paths: HistoryPath[]
  /** The dearest of the newest take first. */
  groups: HistoryGroup[]
  /** The largest first; of times at equal speed of the machine. */
  changes: Change[]
  appeared: Coming[]
  vanished: Coming[]
}

type FigureUnit = 'ms' | 'share' | 'count' | 'bytes'
interface Figure {
  words: string
  unit: FigureUnit
  of(sums: TakeSums, target: number): number | null
}

/** The share at the target next to the take's own. */
const overShare = ({ overShare: shares }: TakeSums, target: number): number => {
  const near = TARGETS.map((one) => Math.abs(Math.log(one / target)))
  return shares[near.indexOf(Math.min(...near))]!
}

export const FIGURES = {
  mean: { words: 'work, mean', unit: 'ms', of: ({ meanMs }) => meanMs },
  p50: { words: 'work p50', unit: 'ms', of: ({ p50Ms }) => p50Ms },
  p95: { words: 'work p95', unit: 'ms', of: ({ p95Ms }) => p95Ms },
  p99: { words: 'work p99', unit: 'ms', of: ({ p99Ms }) => p99Ms },
  over: { words: 'share of frames over', unit: 'share', of: overShare },
  collections: {
    words: 'collections, of 1,000 frames',
    unit: 'count',
    of: ({ collectionsPer1000 }) => collectionsPer1000,
  },
  bytes: { words: 'allocated a frame', unit: 'bytes', of: ({ bytesPerFrame }) => bytesPerFrame },
  heap: { words: 'most on the heap', unit: 'bytes', of: ({ heapBytes }) => heapBytes },
} satisfies Record<string, Figure>
export type FigureName = keyof typeof FIGURES
export const FIGURE_NAMES = Object.keys(FIGURES) as FigureName[]

/** Figures in which a change for good is looked for: the others say the same, with more noise. */
const WATCHED: FigureName[] = ['mean', 'p95', 'collections', 'bytes']
/** Of what is no time, changes by less than this share are none. */
const TRIFLE_SHARE = 0.1
/** Rate of false discoveries, over all paths and figures, at which a change is believed. */
const BELIEVED = 0.05
/** Fewer paths that tell say nothing of the machine's speed. */
const LEAST_TELLING = 3
/** A path tells of it when it takes so long, ms a frame. */
const TELLS_MS = 0.02
/** Paths with less, ms a frame, neither come nor go. */
const THERE_MS = 0.005

/** The lines of a game, the one with most takes first. */
export const historyOf = (takes: readonly HistoryTake[]): HistoryLine[] =>
  [...alike(takes)].map(([about, own]) => lineOf(about, own)).sort((a, b) => b.takes.length - a.takes.length)

/** Takes of like conditions, by what these are. */
export function alike(takes: readonly HistoryTake[]): Map<string, HistoryTake[]> {
  const found = new Map<string, HistoryTake[]>()
  for (const take of takes) {
    const about = aboutOf(take)
    const own = found.get(about)
    if (own === undefined) found.set(about, [take])
    else own.push(take)
  }
  return found
}

function aboutOf({ conditions, target }: Pick<HistoryTake, 'conditions' | 'target'>): string {
  const { device, scene, load, mode } = conditions
  const told = [device, scene, load, mode === undefined ? undefined : `mode ${mode}`]
  return [...told.filter((words) => words !== undefined && words !== ''), `${target} frames a second`].join(
    ', ',
  )
}

/** As a build says what it is. */
export const versionOf = ({ version = '', build = '' }: Conditions): string =>
  [version, build].filter((words) => words !== '').join(' ') || 'no version'

function lineOf(about: string, unordered: readonly HistoryTake[]): HistoryLine {
  const takes = inOrder(unordered)
  const versions = takes.map(({ conditions }) => versionOf(conditions))
  const speed = speedsOf(takes)
  const paths = pathsOf(takes, speed)
  const { target } = takes[0]!
  const figures = FIGURE_NAMES.map((name) => ({
    name,
    values: takes.map(({ sums }) => FIGURES[name].of(sums, target)),
  }))
  return {
    ...{ about, target, speed, figures, paths },
    groups: groupsOf(takes, speed),
    takes: takes.map(({ id, name, started }, i) => ({ id, name, started, version: versions[i]! })),
    changes: changesOf({ versions, speed, paths, figures, target }),
    ...comings(paths, versions),
  }
}

/** By version as they first appeared, then by time. */
function inOrder(takes: readonly HistoryTake[]): HistoryTake[] {
  const byTime = [...takes].sort((a, b) => a.started.localeCompare(b.started))
  const first = new Map<string, number>()
  byTime.forEach(({ conditions }, i) => {
    const version = versionOf(conditions)
    if (!first.has(version)) first.set(version, i)
  })
  const place = ({ conditions }: HistoryTake) => first.get(versionOf(conditions))!
  // The sort is stable: within a version they stay in order of time.
  return [...byTime].sort((a, b) => place(a) - place(b))
}

const keyOf = ({ lane, path }: { lane: string; path: readonly string[] }): string =>
  [lane, ...path].join('\n')

/** From what a run of each path cost in each take against the middle of all takes: the median over the paths. */
function speedsOf(takes: readonly HistoryTake[]): number[] {
  const costs = new Map<string, number[]>()
  takes.forEach(({ sums }, i) => {
    for (const one of sums.paths) {
      if (one.msPerFrame < TELLS_MS || one.callsPerFrame === 0) continue
      const key = keyOf(one)
      let row = costs.get(key)
      if (row === undefined) costs.set(key, (row = new Array<number>(takes.length).fill(NaN)))
      row[i] = Math.log(one.msPerFrame / one.callsPerFrame)
    }
  })
  const rows = [...costs.values()].map((row) => {
    const middle = median(row.filter(Number.isFinite))
    return row.map((value) => value - middle)
  })
  return takes.map((_, i) => {
    const told = rows.map((row) => row[i]!).filter(Number.isFinite)
    return told.length < LEAST_TELLING ? 1 : Math.exp(median(told))
  })
}

function pathsOf(takes: readonly HistoryTake[], speed: readonly number[]): HistoryPath[] {
  const found = new Map<string, HistoryPath>()
  takes.forEach(({ sums }, i) => {
    for (const one of sums.paths) {
      const { path, lane, msPerFrame, callsPerFrame } = one
      let row = found.get(keyOf(one))
      if (row === undefined) {
        const none = () => new Array<number>(takes.length).fill(0)
        found.set(keyOf(one), (row = { path, lane, ms: none(), runs: none() }))
      }
      row.ms[i] = msPerFrame / speed[i]!
      row.runs[i] = callsPerFrame
    }
  })
  return [...found.values()].sort((a, b) => b.ms.at(-1)! - a.ms.at(-1)!)
}

/** With the budgets of the newest take: all are of one device. */
function groupsOf(takes: readonly HistoryTake[], speed: readonly number[]): HistoryGroup[] {
  const { groupBudgets } = takes.at(-1)!
  const found = new Map<string, number[]>()
  takes.forEach(({ sums }, i) => {
    for (const { group, msPerFrame } of sums.groups) {
      let ms = found.get(group)
      if (ms === undefined) found.set(group, (ms = new Array<number>(takes.length).fill(0)))
      ms[i] = msPerFrame / speed[i]!
    }
  })
  return [...found]
    .map(([group, ms]) => ({
      ...{ group, ms },
      budgetMs: Object.hasOwn(groupBudgets, group) ? groupBudgets[group]! : null,
    }))
    .sort((a, b) => b.ms.at(-1)! - a.ms.at(-1)!)
}

interface Series {
  versions: readonly string[]
  speed: readonly number[]
  paths: readonly HistoryPath[]
  figures: HistoryLine['figures']
  target: number
}

function changesOf({ versions, speed, paths, figures, target }: Series): Change[] {
  const isNew = versions.map((version, i) => i > 0 && version !== versions[i - 1])
  // Without versions to tell apart a change may be anywhere.
  const places = [...versions.keys()].filter((i) => i > 0 && (isNew[i] || !isNew.includes(true)))
  const trifleMs = (SAME * 1000) / target
  const about = [
    ...paths.map(({ path, lane, ms }) => ({
      ...{ of: 'path' as const, name: path, lane, unit: 'ms' as FigureUnit },
      points: changePoints(ms, places, trifleMs),
    })),
    ...WATCHED.map((name) => {
      const { unit } = FIGURES[name]
      const known = figures.find((one) => one.name === name)!.values.map((value) => value ?? NaN)
      const values = unit === 'ms' ? known.map((value, i) => value / speed[i]!) : known
      const level = median(values.filter(Number.isFinite))
      return {
        ...{ of: 'frames' as const, name: [name], lane: '', unit: unit as FigureUnit },
        points: changePoints(values, places, unit === 'ms' ? trifleMs : TRIFLE_SHARE * Math.abs(level)),
      }
    }),
  ]
  const rates = falseDiscoveryRates(
    about.map(({ points }) => points.reduce((least, { chance }) => Math.min(least, chance), 1)),
  )
  return about
    .flatMap(({ points, ...rest }, i) =>
      rates[i]! > BELIEVED ? [] : points.map((point) => ({ ...rest, ...point })),
    )
    .map((change) => ({
      ...change,
      fromVersion: versions[change.at - 1]!,
      toVersion: versions[change.at]!,
    }))
    .sort((a, b) => Number(a.unit !== 'ms') - Number(b.unit !== 'ms') || sizeOf(b) - sizeOf(a))
}

const sizeOf = ({ before, after }: ChangePoint): number => Math.abs(after - before)

function comings(
  paths: readonly HistoryPath[],
  versions: readonly string[],
): Pick<HistoryLine, 'appeared' | 'vanished'> {
  const appeared: Coming[] = []
  const vanished: Coming[] = []
  for (const { path, lane, ms } of paths) {
    const isThere = ms.map((value) => value >= THERE_MS)
    const at = isThere.findIndex((is, i) => i > 0 && is !== isThere[i - 1])
    // One that comes and goes hangs on what is played.
    if (at < 0 || isThere.slice(at).includes(!isThere[at])) continue
    const coming = { path, lane, at, version: versions[at]! }
    if (isThere[at]) appeared.push(coming)
    else vanished.push(coming)
  }
  return { appeared, vanished }
}
