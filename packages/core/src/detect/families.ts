/** Spikes that have the same causes, what they follow, and when the next is to be expected. */
import {
  falseDiscoveryRates,
  fisherExact,
  MAD_TO_SIGMA,
  median,
  medianDeviation,
  sum,
} from '../stats/index.ts'
import { frameCount, type Study } from '../study/index.ts'
import type { Cause, Spike } from './spikes.ts'

/** Excesses that point the same way, as the cosine of the angle between them, are one family. */
const LEAST_LIKENESS = 0.8
/** A moment has brought about a spike that begins this many frames after it at most. */
export const AFTER_MOMENT = 3
const LEAST_MEMBERS = 2
/** What is said of a family, a cause or a moment, is so of this share of its members. */
const COMMON = 0.5
/** For a period: gaps that differ by more than this share of the middle gap are no period. */
const PERIOD_SPREAD = 0.15
const LEAST_GAPS = 4
/** Share of the gaps that must be alike. */
const ALIKE = 0.8
/** Members in a row that may be missing between two. */
const MOST_MISSED = 2
/** Members that all fall into a smaller share of the frames than this are a bad moment, not a habit. */
const LEAST_SPAN = 1 / 3
/** The rate of false discoveries at which a moment is believed. */
const BELIEVED = 0.01

export const FAMILY_LIMITS = {
  ...{
    LEAST_LIKENESS,
    AFTER_MOMENT,
    LEAST_MEMBERS,
    COMMON,
    PERIOD_SPREAD,
    LEAST_GAPS,
    ALIKE,
    MOST_MISSED,
    LEAST_SPAN,
    BELIEVED,
  },
}

export interface SpikeFamily {
  /** Indices into the list of spikes, in order of time; at least two. */
  spikes: number[]
  held: boolean
  /** Mean excess of each cause over the members, most first. */
  causes: Cause[]
  meanExcessNs: number
  period: { ms: number; spreadMs: number } | null
  moment: FamilyMoment | null
}

export interface FamilyMoment {
  name: string
  /** Members that begin within three frames after it. */
  members: number
  /** How often it happened. */
  times: number
  /** How much likelier a spike of the family is right after it than elsewhere. */
  lift: number
  /** Chance that it is chance, after having asked of all moments and families. */
  chance: number
}

/** Collections strike anywhere: wherever they ran, they are one cause. */
const COLLECTION = -2
const UNMARKED = -1

function keyOf({ path, why }: Cause): number {
  return why === 'collection' ? COLLECTION : (path ?? UNMARKED)
}

type Vector = Map<number, number>

function cosine(a: Vector, b: Vector): number {
  let product = 0
  for (const [key, value] of a) product += value * (b.get(key) ?? 0)
  const length = (vector: Vector) =>
    Math.sqrt([...vector.values()].reduce((sum, value) => sum + value * value, 0))
  const lengths = length(a) * length(b)
  return lengths > 0 ? product / lengths : 0
}

/**
 * Families with at least two members, the costliest first.
 * @param isOut spikes that belong to none
 */
export function familiesOf(
  study: Study,
  spikes: readonly Spike[],
  isOut: (spike: number) => boolean = () => false,
): SpikeFamily[] {
  const groups: { sum: Vector; held: boolean; members: number[] }[] = []
  // The clearest spikes found the families.
  const order = [...spikes.keys()]
    .filter((spike) => !isOut(spike))
    .sort((a, b) => spikes[b]!.excessNs - spikes[a]!.excessNs)
  for (const index of order) {
    const { causes, held } = spikes[index]!
    const vector: Vector = new Map()
    for (const cause of causes) vector.set(keyOf(cause), (vector.get(keyOf(cause)) ?? 0) + cause.excessNs)
    let best: (typeof groups)[number] | null = null
    let likeness = LEAST_LIKENESS
    for (const group of groups) {
      const found = group.held === held ? cosine(group.sum, vector) : 0
      if (found >= likeness) {
        likeness = found
        best = group
      }
    }
    if (best === null) groups.push({ sum: vector, held, members: [index] })
    else {
      best.members.push(index)
      for (const [key, value] of vector) best.sum.set(key, (best.sum.get(key) ?? 0) + value)
    }
  }
  const families = groups
    .filter(({ members }) => members.length >= LEAST_MEMBERS)
    .map(({ members, held }): SpikeFamily => {
      const sorted = members.sort((a, b) => a - b)
      const own = sorted.map((index) => spikes[index]!)
      return {
        spikes: sorted,
        held,
        causes: meanCauses(own),
        meanExcessNs: own.reduce((sum, { excessNs }) => sum + excessNs, 0) / own.length,
        period: periodOf(study, own),
        moment: null,
      }
    })
    .sort((a, b) => b.meanExcessNs * b.spikes.length - a.meanExcessNs * a.spikes.length)
  addMoments(study, spikes, families)
  return families
}

/** Paths that explain a family. */
export const causesOfFamilies = (families: readonly SpikeFamily[]): Set<number> =>
  new Set(families.flatMap(({ causes }) => causes.flatMap(({ path }) => (path === null ? [] : [path]))))

/** A cause is in a family when enough of its members have it. */
function meanCauses(members: readonly Spike[]): Cause[] {
  const sums = new Map<number, { cause: Cause; times: number }>()
  for (const { causes } of members) {
    for (const cause of causes) {
      const known = sums.get(keyOf(cause))
      if (known === undefined) {
        sums.set(keyOf(cause), { cause: { ...cause }, times: 1 })
        continue
      }
      known.times++
      for (const column of ['excessNs', 'selfNs', 'usualNs', 'calls', 'usualCalls'] as const) {
        known.cause[column] += cause[column]
      }
    }
  }
  return [...sums.values()]
    .filter(({ times }) => times >= COMMON * members.length)
    .map(({ cause, times }) => ({
      ...cause,
      excessNs: cause.excessNs / members.length,
      selfNs: cause.selfNs / times,
      usualNs: cause.usualNs / times,
      calls: cause.calls / times,
      usualCalls: cause.usualCalls / times,
    }))
    .sort((a, b) => b.excessNs - a.excessNs)
}

/**
 * The median gap, if the gaps are alike. A gap may be two or three times as long, where some were missed; any
 * gap would be near some multiple.
 */
function periodOf({ frames }: Study, members: readonly Spike[]): SpikeFamily['period'] {
  const starts = members.map(({ from }) => frames.startNs[from]! / 1e6)
  const gaps = starts.slice(1).map((start, i) => start - starts[i]!)
  const span = members.at(-1)!.from - members[0]!.from
  if (gaps.length < LEAST_GAPS || span < LEAST_SPAN * frames.startNs.length) return null
  const middle = median(gaps)
  const off = gaps.map(
    (gap) => gap - middle * Math.min(MOST_MISSED + 1, Math.max(1, Math.round(gap / middle))),
  )
  const spread = MAD_TO_SIGMA * medianDeviation(off)
  const alike = off.filter((ms) => Math.abs(ms) <= PERIOD_SPREAD * middle).length
  return spread <= PERIOD_SPREAD * middle && alike >= ALIKE * gaps.length
    ? { ms: middle, spreadMs: spread }
    : null
}

/** Gives each family the moment that explains it best, if one does. */
function addMoments(study: Study, spikes: readonly Spike[], families: SpikeFamily[]): void {
  const count = frameCount(study)
  const names = [...new Set(study.moments.map(({ name }) => name))]
  const windows = names.map((name) => {
    const inside = new Uint8Array(count)
    const own = study.moments.filter((moment) => moment.name === name)
    for (const { frame } of own) inside.fill(1, frame, Math.min(count, frame + AFTER_MOMENT + 1))
    return { name, inside, frames: sum(inside), times: own.length }
  })
  const asked = families.flatMap((family) =>
    windows.map((window) => {
      const members = family.spikes.filter((index) => window.inside[spikes[index]!.from] === 1).length
      return { family, window, members, p: fisherExact(members, family.spikes.length, window.frames, count) }
    }),
  )
  const rates = falseDiscoveryRates(asked.map(({ p }) => p))
  asked.forEach(({ family, window, members }, i) => {
    const chance = rates[i]!
    if (chance > BELIEVED || members < COMMON * family.spikes.length) return
    if (family.moment !== null && family.moment.chance <= chance) return
    const lift = members / family.spikes.length / (window.frames / count)
    family.moment = { name: window.name, members, times: window.times, lift, chance }
  })
}
