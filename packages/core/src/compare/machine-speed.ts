/** How fast the machine was between the sides, told from paths whose runs did not change. */
import { deviationOf, MAD_TO_SIGMA, median, medianDeviation, sum } from '../stats/index.ts'
import { halfOf } from './judge.ts'
import type { Speed } from './resample.ts'
import type { PathSeries, Side } from './series.ts'

/** A path tells of the machine's speed when its run takes so long, ns: shorter ones tell of the clock. */
const LEAST_RUN_NS = 5_000
/** And when all of its runs take this share of the work. */
const LEAST_SHARE = 0.0005
/** Fewer that tell say nothing: one that changed would pass for the machine. */
const LEAST_TELLING = 3
/** A path whose runs changed by more than this, as a logarithm, from what most did has really changed. */
const LEAST_CHANGE = 0.05
const SPREADS = 3

/** What a run of a path cost, cell by cell, in order of cost: single bad frames do not move the middle. */
interface RunCosts {
  /** Cells in which it ran, the cheapest run first. */
  cells: Uint32Array
  /** ns a run, beside them. */
  runNs: Float64Array
}

export interface Pair {
  before: RunCosts
  after: RunCosts
}

function runCosts({ selfNs, calls }: PathSeries): RunCosts {
  const costOf = (cell: number) => selfNs[cell]! / calls[cell]!
  const cells = Uint32Array.from([...calls.keys()].filter((cell) => calls[cell]! > 0)).sort(
    (a, b) => costOf(a) - costOf(b),
  )
  return { cells, runNs: Float64Array.from(cells, costOf) }
}

/** The middle cost of a run; @param weights how often each cell counts, once if not given */
function middleCost({ cells, runNs }: RunCosts, weights?: Float64Array): number {
  if (weights === undefined) return runNs[cells.length >> 1] ?? NaN
  let all = 0
  for (const cell of cells) all += weights[cell]!
  let sum = 0
  for (let i = 0; i < cells.length; i++) {
    sum += weights[cells[i]!]!
    if (sum * 2 >= all) return runNs[i]!
  }
  return NaN
}

/** log of (cost of a run after ÷ before). */
const logRatio = (
  { before, after }: Pair,
  weightsBefore?: Float64Array,
  weightsAfter?: Float64Array,
): number => Math.log(middleCost(after, weightsAfter) / middleCost(before, weightsBefore))

/** Paths whose runs did not change, as far as most tell. */
export function tellingPaths(one: Side, other: Side): Pair[] {
  const work = sum(one.workNs)
  const enough = (series: PathSeries) => {
    const ns = sum(series.selfNs)
    return ns >= LEAST_RUN_NS * sum(series.calls) && ns >= LEAST_SHARE * work
  }
  const pairs = [...one.paths].flatMap(([key, before]): Pair[] => {
    const after = other.paths.get(key)
    if (after === undefined || before.kind !== 'work' || !before.isMain || !enough(before) || !enough(after))
      return []
    return [{ before: runCosts(before), after: runCosts(after) }]
  })
  if (pairs.length < LEAST_TELLING) return []
  const ratios = pairs.map((pair) => logRatio(pair))
  const middle = median(ratios)
  const reach = Math.max(LEAST_CHANGE, SPREADS * MAD_TO_SIGMA * medianDeviation(ratios))
  return pairs.filter((_, i) => Math.abs(ratios[i]! - middle) <= reach)
}

/** log of the ratio of speeds: the median over the paths that tell; 0 where too few do. */
export function speedOf(
  telling: readonly Pair[],
  weightsBefore?: Float64Array,
  weightsAfter?: Float64Array,
): number {
  const ratios = telling.map((pair) => logRatio(pair, weightsBefore, weightsAfter)).filter(Number.isFinite)
  return ratios.length < LEAST_TELLING ? 0 : median(ratios)
}

export function speedTold(telling: readonly Pair[], resampled: number[], freedom: number): Speed {
  const log = speedOf(telling)
  if (telling.length < LEAST_TELLING) return { ratio: 1, low: 1, high: 1, telling: 0 }
  const half = halfOf(deviationOf(resampled.map(Math.log)), freedom)
  return {
    ratio: Math.exp(log),
    low: Math.exp(log - half),
    high: Math.exp(log + half),
    telling: telling.length,
  }
}
