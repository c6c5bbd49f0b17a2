import { fitFrames, holdsThroughout, LEAST_EXPLAINED, loadSources, rampFrames } from '../../detect/index.ts'
import { mean, median, sum } from '../../stats/index.ts'
import { dense } from '../../study/index.ts'
import { percent, three } from '../../words/index.ts'
import { choice, number, numberOf } from '../input.ts'
import { outcome, type Remedy } from '../remedy.ts'
import type { Site } from '../site.ts'

/** Cells that are looked at around a place: its own and its neighbours. */
const CELLS = 9
const NONE = 'none'
/** Where the least load seen is above this share of the largest, a law says little about a load of none. */
const FAR = 0.5

/** Only what is near is tested, instead of everything against everything. */
export const remedy: Remedy = {
  kind: 'bucket',
  order: 10,
  words: 'bucket',
  about: 'sorted into buckets by place, so that only neighbours are tested',
  price: 'upkeep of the buckets',
  effort: 'medium',
  makes:
    'of S the part that grows with the number of others (`variable` at the usual load, at each frame’s own load by `base + slope × others`) shrinks to occupancy × cells / others; plus `upkeep`',
  suggests:
    'others: the load whose law explains a run’s cost best; `variable` from that law, at equal speed of the machine, where it explains enough and the loads seen reach down to half the largest',
  limits: { CELLS, FAR, LEAST_EXPLAINED },
  inputs(site) {
    const loads = loadsOf(site)
    const suggested = loads.find(({ name }) => name === site.subject) ?? loads[0]
    const { variable, law } = site.base.once(`law ${site.path} ${suggested?.name}`, () =>
      variablePart(site, suggested?.values),
    )
    return [
      choice('others', {
        words: 'tested against',
        about: 'the number of those that each is tested against, frame by frame',
        origin: suggested !== undefined && suggested.explained >= LEAST_EXPLAINED ? 'measured' : 'assumed',
        choices: [
          ...loads.map(({ name }) => ({ id: name, words: name })),
          { id: NONE, words: 'a number set here' },
        ],
        suggested: suggested?.name ?? NONE,
      }),
      number('count', {
        words: 'how many, where set here',
        about: 'used where no gauge tells',
        origin: 'assumed',
        suggested: suggested === undefined ? 100 : Math.max(1, suggested.middle),
        least: 1,
      }),
      number('occupancy', {
        words: 'others in a bucket',
        about: 'on average; fewer with smaller buckets',
        origin: 'assumed',
        suggested: 2,
        least: 0.01,
        most: 1e6,
      }),
      number('cells', {
        words: 'buckets looked at',
        about: 'its own and those around: 9 on a plane where a bucket is as wide as the reach',
        origin: 'assumed',
        suggested: CELLS,
        least: 1,
        most: 10_000,
      }),
      number('variable', {
        words: 'share for the tests',
        unit: '%',
        about: law,
        origin: variable === null ? 'assumed' : 'measured',
        suggested: (variable ?? 0.95) * 100,
        most: 100,
      }),
      number('upkeep', {
        words: 'upkeep of the buckets',
        unit: 'µs a frame',
        about: 'time to put what moved into its bucket',
        origin: 'assumed',
        suggested: 20,
        most: 1e6,
      }),
    ]
  },
  apply(site, values) {
    const looked = numberOf(values, 'occupancy') * numberOf(values, 'cells')
    const variable = numberOf(values, 'variable') / 100
    const upkeepNs = numberOf(values, 'upkeep') * 1000
    const load = loadsOf(site).find(({ name }) => name === values['others'])
    const set = numberOf(values, 'count')
    // `variable` is that of the usual load; with more others there is more of it, by cost = base + slope × others.
    const usual = load?.middle ?? set
    const baseInOthers = variable > 0 ? (usual * (1 - variable)) / variable : Infinity
    const variableAt = (others: number) => (variable > 0 ? others / (others + baseInOthers) : 0)
    const { selfNs } = site.columns
    const keep = selfNs.map((_, frame) => {
      const others = load?.values[frame] ?? set
      return others > looked ? 1 - variableAt(others) * (1 - looked / others) : 1
    })
    const extraNs = selfNs.map((ns) => (ns > 0 ? upkeepNs : 0))
    return outcome([{ path: site.path, alone: true, keep, sameRuns: true, extraNs }], {
      price: [`${three(upkeepNs / 1000)} µs a frame to keep the buckets`],
      notes: [
        `of ${three(load === undefined ? set : load.average)} others ${three(looked)} are still tested; ${percent(1 - sum(selfNs.map((ns, i) => ns * keep[i]!)) / Math.max(1, sum(selfNs)))} of its own time goes`,
      ],
    })
  },
}

const finite = (values: Float64Array) => values.filter((value) => Number.isFinite(value))

/** Loads that never are nothing, the one that explains the cost best first. */
function loadsOf(site: Site) {
  return site.base.once(`loads ${site.workPath}`, () => readLoads(site))
}

function readLoads(site: Site) {
  const costNs = perRun(site)
  const use = framesThatTell(site, costNs)
  return loadSources(site.base.study)
    .flatMap((source) => {
      const known = finite(source.values)
      const middle = known.length === 0 ? 0 : median(known)
      if (middle <= 0) return []
      const { explained } = fitFrames(source.values, costNs, use)
      return { ...source, middle, average: mean(known), explained }
    })
    .sort((a, b) => b.explained - a.explained)
}

/** Normal frames of the ramp, or of the whole take, in which it ran. */
function framesThatTell(site: Site, costNs: Float64Array): Uint8Array {
  const { isNormal, count } = site.base.evidence
  const inRamp = rampFrames(site.base.study.moments, count)
  return isNormal.map((is, frame) =>
    is === 1 && inRamp[frame] === 1 && Number.isFinite(costNs[frame]!) ? 1 : 0,
  )
}

/**
 * What one run costs by itself, at equal speed of the machine: it grows with what it is tested against, not with how many
 * run.
 */
function perRun(site: Site): Float64Array {
  const course = site.base.evidence.even().study.courses.get(site.workPath)
  const calls = dense(course, 'calls', site.count)
  return dense(course, 'selfNs', site.count).map((ns, frame) =>
    calls[frame]! > 0 ? ns / calls[frame]! : NaN,
  )
}

function variablePart(site: Site, load: Float64Array | undefined): { variable: number | null; law: string } {
  const unknown = {
    variable: null,
    law: 'share of its own time that grows with the number of others: this take does not tell, since no load varies with it',
  }
  if (load === undefined) return unknown
  const costNs = perRun(site)
  const use = framesThatTell(site, costNs)
  const scaling = fitFrames(load, costNs, use)
  const { best, points } = scaling
  const usualNs = median(costNs.filter((ns) => Number.isFinite(ns)))
  const isLaw = best !== null && best.slopeNs > 0 && scaling.explained >= LEAST_EXPLAINED
  if (!isLaw || !holdsThroughout(load, costNs, use) || !(usualNs > 0)) return unknown
  const [least, most] = [points[0]!.load, points.at(-1)!.load]
  if (least > FAR * most) {
    const law = `share of its own time that grows with the number of others: from ${three(least)} to ${three(most)}, as in this take, does not tell what is left at none`
    return { variable: null, law }
  }
  const variable = Math.max(0, Math.min(1, 1 - best.baseNs / usualNs))
  return {
    variable,
    law: `from the law of one run’s cost, which explains ${percent(scaling.explained)} of how it varies`,
  }
}
