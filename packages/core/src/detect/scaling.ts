/** What a cost grows with: a law fitted to points of load and cost, and the load at which the budget breaks. */
import type { Moment } from '../format/index.ts'
import { aicc, correlation, median, risingLine, sum } from '../stats/index.ts'
import { three } from '../words/index.ts'

export const LAWS = ['1', 'n', 'n log n', 'n²', 'n·m'] as const
export type Law = (typeof LAWS)[number]

export interface ScalingPoint {
  load: number
  /** Median cost of the frames with about this load, ns. */
  costNs: number
  frames: number
}

export interface Fit {
  law: Law
  /** cost = baseNs + slopeNs × f(load) */
  baseNs: number
  slopeNs: number
  aicc: number
}

export interface Scaling {
  points: ScalingPoint[]
  fits: Fit[]
  /** The law that pays best for its parameters. */
  best: Fit | null
  /** Of cost = base + slope × load^exponent: with the bounds of its 95 % interval; null where load does not matter. */
  exponent: { value: number; low: number; high: number } | null
  /** Share of the variance that the best law explains, 0 to 1. */
  explained: number
}

/** A law says something where it explains this share of the variance. */
export const LEAST_EXPLAINED = 0.6
/** Points that loads are gathered into, so that single frames do not decide. */
const MOST_POINTS = 40
const LEAST_POINTS = 5
/** Loads must differ by this factor to say anything. */
const LEAST_SPAN = 1.2
/** A law whose criterion is this much above the best is as good (Burnham and Anderson, 2002). */
const AS_GOOD = 2
/** Exponents that are tried, in steps of a twentieth. */
const LEAST_EXPONENT = 0.5
const MOST_EXPONENT = 4
const EXPONENTS = Array.from(
  { length: Math.round((MOST_EXPONENT - LEAST_EXPONENT) / 0.05) + 1 },
  (_, i) => LEAST_EXPONENT + i * 0.05,
)
/** 95 % of a chi-squared variable with one degree of freedom lie below. */
const CHI_SQUARED_95 = 3.841

const SHAPES: Record<Exclude<Law, 'n·m'>, (n: number) => number> = {
  '1': () => 0,
  n: (n) => n,
  'n log n': (n) => (n > 1 ? n * Math.log2(n) : 0),
  'n²': (n) => n * n,
}

/** Frames gathered by load: as many in each point, as far as loads differ. Loads that are no numbers are left out. */
export function pointsOf(load: Float64Array, costNs: Float64Array, use: Uint8Array): ScalingPoint[] {
  const frames = [...load.keys()].filter((frame) => use[frame] === 1 && Number.isFinite(load[frame]!))
  frames.sort((a, b) => load[a]! - load[b]!)
  const points: ScalingPoint[] = []
  const wanted = Math.max(1, Math.ceil(frames.length / MOST_POINTS))
  for (let at = 0; at < frames.length;) {
    let end = Math.min(frames.length, at + wanted)
    // Frames of the same load stay together.
    while (end < frames.length && load[frames[end]!] === load[frames[end - 1]!]) end++
    const group = frames.slice(at, end)
    points.push({
      // Both in the middle: the mean of a load would belong to another cost wherever the law is bent.
      load: median(group.map((frame) => load[frame]!)),
      costNs: median(group.map((frame) => costNs[frame]!)),
      frames: group.length,
    })
    at = end
  }
  return points
}

/**
 * The law that frames follow. A load comes and goes in blocks of frames, and what a cost misses of its law hangs together
 * within them: as evidence the points count as many as are independent of each other.
 */
export function fitFrames(
  load: Float64Array,
  costNs: Float64Array,
  use: Uint8Array,
  isProduct = false,
): Scaling {
  const points = pointsOf(load, costNs, use)
  const fitted = fitScaling(points, isProduct)
  if (fitted.best === null) return fitted
  const independent = Math.min(
    independentFrames(load, costNs, use, fitted.best),
    independentPoints(points, fitted.best),
  )
  return fitScaling(points, isProduct, Math.max(LEAST_POINTS, independent))
}

/** How like their neighbours values are: 0 to 1. */
const hangTogether = (values: number[]): number =>
  Math.max(0, correlation(values.slice(0, -1), values.slice(1)))

/** As many as are independent of `count` that hang together so: as of first-order processes (Bartlett, 1935). */
const independentOf = (count: number, together: number): number => (count * (1 - together)) / (1 + together)

/** Misses that last, of a load that lasts: whichever of the two changes from frame to frame makes them independent. */
function independentFrames(load: Float64Array, costNs: Float64Array, use: Uint8Array, fit: Fit): number {
  const loads: number[] = []
  const misses: number[] = []
  for (let frame = 0; frame < use.length; frame++) {
    const missed = costNs[frame]! - costAt(fit, load[frame]!)
    if (use[frame] !== 1 || !Number.isFinite(missed)) continue
    loads.push(load[frame]!)
    misses.push(missed)
  }
  return independentOf(misses.length, hangTogether(loads) * hangTogether(misses))
}

/** Neighbouring points that miss the law alike were seen in the same frames. */
const independentPoints = (points: ScalingPoint[], fit: Fit): number =>
  independentOf(points.length, hangTogether(points.map(({ load, costNs }) => costNs - costAt(fit, load))))

/**
 * @param isProduct the load is a product of two gauges: the law of it is called n·m
 * @param independent as how many observations the points count
 */
export function fitScaling(points: ScalingPoint[], isProduct = false, independent = points.length): Scaling {
  const x = points.map(({ load }) => load)
  const y = points.map(({ costNs }) => costNs)
  const nothing: Scaling = { points, fits: [], best: null, exponent: null, explained: 0 }
  const [least, most] = [Math.min(...x), Math.max(...x)]
  if (points.length < LEAST_POINTS || !(most > least * LEAST_SPAN) || most <= 0) return nothing
  const laws: Law[] = isProduct ? ['1', 'n·m'] : ['1', 'n', 'n log n', 'n²']
  const fits = laws.map((law): Fit & { rss: number } => {
    const shape = SHAPES[law === 'n·m' ? 'n' : law]
    const line = risingLine(x.map(shape), y)
    const parameters = law === '1' ? 1 : 2
    return {
      law,
      baseNs: line.base,
      slopeNs: line.slope,
      aicc: aicc(line.rss * (independent / x.length), independent, parameters),
      rss: line.rss,
    }
  })
  const lowest = Math.min(...fits.map(({ aicc: value }) => value))
  // Laws come in order of simplicity: the plainest of those that are as good as the best.
  const best = fits.find((fit) => fit.aicc <= lowest + AS_GOOD)!
  const middle = sum(y) / y.length
  const total = y.reduce((sum, value) => sum + (value - middle) ** 2, 0)
  return {
    points,
    fits: fits.map(({ rss: _, ...fit }) => fit),
    best: { law: best.law, baseNs: best.baseNs, slopeNs: best.slopeNs, aicc: best.aicc },
    exponent: best.law === '1' ? null : exponentOf(x, y, independent),
    explained: total > 0 ? Math.max(0, 1 - best.rss / total) : 0,
  }
}

/** An exponent with its interval; one that reaches the end of what is tried is open there. */
export function exponentWords({ value, low, high }: NonNullable<Scaling['exponent']>): string {
  const words = (exponent: number): string => {
    if (exponent <= LEAST_EXPONENT + 1e-9) return `less than ${LEAST_EXPONENT}`
    return exponent >= MOST_EXPONENT - 1e-9 ? `more than ${MOST_EXPONENT}` : three(exponent)
  }
  return `exponent ${words(value)}, between ${words(low)} and ${words(high)}`
}

/** The exponent with the least squares, and those that the likelihood does not rule out. */
function exponentOf(
  x: number[],
  y: number[],
  independent: number,
): { value: number; low: number; high: number } {
  const most = Math.max(...x)
  const rss = EXPONENTS.map(
    (exponent) =>
      risingLine(
        x.map((load) => (load / most) ** exponent),
        y,
      ).rss,
  )
  const least = Math.min(...rss)
  const kept = EXPONENTS.filter(
    (_, i) => independent * Math.log(rss[i]! / Math.max(least, Number.MIN_VALUE)) <= CHI_SQUARED_95,
  )
  return { value: EXPONENTS[rss.indexOf(least)]!, low: kept[0]!, high: kept.at(-1)! }
}

/** Parts of a take in each of which a law should hold. */
const PARTS = 6
/** A part tells something about a law when its loads differ by this share of all that occur. */
const LEAST_PART_SPAN = 0.1
/** It agrees when its own slope is at least this share of the whole's. */
const AGREES = 0.4
const MOST_AGREE = 2 / 3

/**
 * Whether cost grows with load in most parts of the take too, and not merely over the whole of it: something
 * that changed with time, such as a machine that grew slower, follows every load that changed with time.
 */
export function holdsThroughout(load: Float64Array, costNs: Float64Array, use: Uint8Array): boolean {
  const whole = pointsOf(load, costNs, use)
  if (whole.length < LEAST_POINTS) return false
  const slopeOf = (points: ScalingPoint[]) =>
    risingLine(
      points.map((point) => point.load),
      points.map((point) => point.costNs),
    ).slope
  const slope = slopeOf(whole)
  const span = whole.at(-1)!.load - whole[0]!.load
  let telling = 0
  let agreeing = 0
  for (let part = 0; part < PARTS; part++) {
    const from = Math.floor((part * use.length) / PARTS)
    const to = Math.floor(((part + 1) * use.length) / PARTS)
    const points = pointsOf(load.subarray(from, to), costNs.subarray(from, to), use.subarray(from, to))
    if (points.length < LEAST_POINTS || points.at(-1)!.load - points[0]!.load < LEAST_PART_SPAN * span)
      continue
    telling++
    if (slopeOf(points) >= AGREES * slope) agreeing++
  }
  return telling >= 2 && agreeing >= MOST_AGREE * telling
}

export const SCALING_LIMITS = {
  ...{ MOST_POINTS, LEAST_POINTS, LEAST_SPAN, AS_GOOD, PARTS, LEAST_PART_SPAN, AGREES, MOST_AGREE },
}

/** What a law says a load costs, ns. */
export const costAt = ({ law, baseNs, slopeNs }: Fit, load: number): number =>
  baseNs + slopeNs * SHAPES[law === 'n·m' ? 'n' : law](load)

/** Beyond this many times the largest load seen, a law is no more than a guess. */
const FURTHEST = 100

/** The load at which the cost reaches the budget; null when it does not within a hundred times the loads seen. */
export function breakingLoad({ points, best }: Scaling, budgetNs: number): number | null {
  if (best === null || best.slopeNs <= 0) return null
  let low = 0
  let high = Math.max(...points.map(({ load }) => load)) * FURTHEST
  if (costAt(best, low) >= budgetNs) return 0
  if (costAt(best, high) < budgetNs) return null
  for (let i = 0; i < 60; i++) {
    const half = (low + high) / 2
    if (costAt(best, half) < budgetNs) low = half
    else high = half
  }
  return high
}

/** A product of gauges, frame by frame. */
export function loadOf(gauges: readonly Float64Array[], count: number): Float64Array {
  return Float64Array.from({ length: count }, (_, frame) =>
    gauges.reduce((product, gauge) => product * gauge[frame]!, 1),
  )
}

/** What one run costs, by frame: NaN in frames in which the path did not run. */
export function costPerCall(
  frames: Uint32Array,
  calls: Uint32Array,
  costNs: Float64Array,
  count: number,
): Float64Array {
  const values = new Float64Array(count).fill(NaN)
  for (let cell = 0; cell < frames.length; cell++) values[frames[cell]!] = costNs[cell]! / calls[cell]!
  return values
}

/** Frames of a ramp: from its moment on; all frames where there is no ramp. */
export function rampFrames(moments: readonly { name: string; frame: number }[], count: number): Uint8Array {
  const start = moments.find(({ name }) => name === RAMP_MOMENT)
  const end = moments.find(
    ({ name, frame }) => name === RAMP_END_MOMENT && start !== undefined && frame > start.frame,
  )
  const use = new Uint8Array(count)
  use.fill(1, start?.frame ?? 0, end?.frame ?? count)
  return use
}

/** Of some loads those that the ramp is about, as its moment's data name them; all where it names none of them. */
export function loadsOfRamp<T extends { name: string }>(
  moments: readonly { name: string; data: Moment['data'] }[],
  loads: readonly T[],
): readonly T[] {
  const data = moments.find(({ name }) => name === RAMP_MOMENT)?.data ?? {}
  const named = loads.filter(({ name }) => Object.hasOwn(data, name))
  return named.length > 0 ? named : loads
}

/** A game that says this raises its load from here on, so that costs show against it. */
export const RAMP_MOMENT = 'ramp'
/** It says this when the load is as usual again; to the end of the take if it does not. */
export const RAMP_END_MOMENT = 'ramp-end'
