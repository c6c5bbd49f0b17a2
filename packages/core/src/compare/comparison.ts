/** Any takes before set against any takes after: what changed, by how much, how surely, at equal speed of the machine. */
import {
  deviationOf,
  drawBlocks,
  falseDiscoveryRates,
  median,
  MAD_TO_SIGMA,
  medianDeviation,
  percentileInPlace,
  steadyRandom,
  studentQuantile,
  studentTail,
} from '../stats/index.ts'
import { budgetNsOf, type Study } from '../study/index.ts'
import { BYTES_UNKNOWN } from '../format/index.ts'
import { isLate } from '../take/index.ts'
import { blockFramesOf, CELLS_A_BLOCK, takenTogether, type PathSeries, type Side } from './series.ts'
import { BELIEVED, SAME, timesAsMuch, verdictOf, type Difference } from './verdict.ts'

/** Resamples for means, and for percentiles, which take longer. */
const RESAMPLES = 300
const FRAME_RESAMPLES = 200
/** Times the length of a block that is best for the variance of a mean: intervals need longer ones, or they are too short. */
const LONGER = 2
/** A path tells of the machine's speed when its run takes so long, ns: shorter ones tell of the clock. */
const LEAST_RUN_NS = 5_000
/** And when all of its runs take this share of the work. */
const LEAST_SHARE = 0.0005
/** Fewer that tell say nothing: one that changed would pass for the machine. */
const LEAST_TELLING = 3
/** A path whose runs changed by more than this, as a logarithm, from what most did has really changed. */
const LEAST_CHANGE = 0.05
const SPREADS = 3
/** A take is the same run as another where its paths ran as often in this share of the cells. */
const SAME_RUN = 0.95
/** A path that takes less than this share of the budget on both sides is left out. */
const TRIFLE = 0.0002

export interface FrameRow extends Difference {
  figure: string
}

export interface PathSideFigures {
  callsPerFrame: number
  msPerCall: number
  msPerFrame: number
  /** Allocated by its own; null where bytes were not recorded. */
  bytesPerFrame: number | null
  /** Runs that said that they changed nothing. */
  needlessPerFrame: number
}

export interface PathRow extends Omit<Difference, 'before' | 'after'> {
  path: string[]
  lane: string
  /** Its number in the first take on each side that has it; null where none has. */
  pathBefore: number | null
  pathAfter: number | null
  before: PathSideFigures
  /** As recorded. */
  after: PathSideFigures
  /** Of the difference: what comes from more or fewer runs, and from dearer or cheaper ones. */
  fromRunsMs: number
  fromCostMs: number
  change: 'both' | 'appeared' | 'vanished'
  /** Where the same marker ran before, under another caller; empty where nowhere. */
  movedFrom: string[]
}

export interface Speed {
  /** How many times as long unchanged work takes after. */
  ratio: number
  low: number
  high: number
  /** Paths that tell; 0 where too few do, and nothing is taken out. */
  telling: number
}

export interface Comparison {
  speed: Speed
  /** Whether both are the same run, and were compared frame by frame. */
  paired: boolean
  blockFrames: number
  frames: FrameRow[]
  /** Own time; those that changed most first. */
  paths: PathRow[]
  seconds: { before: number; after: number }
}

/** @throws RangeError where a side has no frames, or nothing in common is left to compare */
export function compareTakes(before: Study[], after: Study[]): Comparison {
  const blockFrames = LONGER * Math.max(blockFramesOf(before), blockFramesOf(after))
  const sides = [takenTogether(before, blockFrames), takenTogether(after, blockFrames)] as const
  if (sides[0].frames === 0 || sides[1].frames === 0)
    throw new RangeError(`there are no frames ${sides[0].frames === 0 ? 'before' : 'after'} to compare`)
  const [one, other] = sides
  if (![...one.paths.keys()].some((key) => other.paths.has(key)))
    throw new RangeError('the takes have no marker in common: they are not of the same game')
  const paired = areSameRun(one, other)
  const random = steadyRandom(1)
  const telling = tellingPaths(one, other)
  const freedom = Math.min(one.frames, other.frames) / blockFrames - 1
  const resamples = Array.from({ length: RESAMPLES }, (): Resample => {
    const startsBefore = drawBlocks(one.cells.length, CELLS_A_BLOCK, random)
    const startsAfter = paired ? startsBefore : drawBlocks(other.cells.length, CELLS_A_BLOCK, random)
    const [weightsBefore, weightsAfter] = [weightsOf(one, startsBefore), weightsOf(other, startsAfter)]
    const speed = Math.exp(speedOf(telling, weightsBefore, weightsAfter))
    return { startsBefore, startsAfter, weightsBefore, weightsAfter, speed }
  })
  const speed = speedTold(
    telling,
    resamples.map((resample) => resample.speed),
    freedom,
  )
  const budgetNs = budgetNsOf(before[0]!)
  const about: About = { one, other, freedom, speed, budgetNs, resamples }
  return {
    ...{ speed, paired, blockFrames },
    frames: frameRows(about),
    paths: pathRows(about),
    seconds: { before: one.seconds, after: other.seconds },
  }
}

/** One draw of moving blocks on each side, by the cells in which they begin. */
interface Resample {
  startsBefore: Uint32Array
  startsAfter: Uint32Array
  weightsBefore: Float64Array
  weightsAfter: Float64Array
  speed: number
}

interface About {
  one: Side
  other: Side
  freedom: number
  speed: Speed
  budgetNs: number
  resamples: Resample[]
}

/** How often each cell is in a resample. */
function weightsOf({ cells }: Side, starts: Uint32Array): Float64Array {
  const weights = new Float64Array(cells.length)
  for (const start of starts) for (let i = 0; i < CELLS_A_BLOCK; i++) weights[(start + i) % cells.length]!++
  return weights
}

function weighted(values: Float64Array, weights: Float64Array): number {
  let sum = 0
  for (let cell = 0; cell < values.length; cell++) sum += values[cell]! * weights[cell]!
  return sum
}

const plainSum = (values: Float64Array): number => values.reduce((sum, value) => sum + value, 0)

/** Same seed, as many frames, and every path ran as often in nearly every cell. */
function areSameRun(one: Side, other: Side): boolean {
  if (one.studies.length !== 1 || other.studies.length !== 1 || one.frames !== other.frames) return false
  const [seed, otherSeed] = [one.studies[0]!, other.studies[0]!].map(({ conditions }) => conditions.seed)
  if (seed === undefined || seed !== otherSeed) return false
  let same = 0
  let all = 0
  for (const [key, { calls, isMain }] of one.paths) {
    const there = other.paths.get(key)
    if (!isMain || there === undefined) continue
    for (let cell = 0; cell < calls.length; cell++) {
      all++
      if (calls[cell] === there.calls[cell]) same++
    }
  }
  return all > 0 && same >= SAME_RUN * all
}

/** What a run of a path cost, cell by cell, in order of cost: single bad frames do not move the middle. */
interface RunCosts {
  /** Cells in which it ran, the cheapest run first. */
  cells: Uint32Array
  /** ns a run, beside them. */
  runNs: Float64Array
}
interface Pair {
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
function tellingPaths(one: Side, other: Side): Pair[] {
  const work = plainSum(one.workNs)
  const enough = (series: PathSeries) => {
    const ns = plainSum(series.selfNs)
    return ns >= LEAST_RUN_NS * plainSum(series.calls) && ns >= LEAST_SHARE * work
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
function speedOf(
  telling: readonly Pair[],
  weightsBefore?: Float64Array,
  weightsAfter?: Float64Array,
): number {
  const ratios = telling.map((pair) => logRatio(pair, weightsBefore, weightsAfter)).filter(Number.isFinite)
  return ratios.length < LEAST_TELLING ? 0 : median(ratios)
}

function speedTold(telling: readonly Pair[], resampled: number[], freedom: number): Speed {
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

/** Half of a 95 % interval; infinite where there are too few blocks to judge by. */
const halfOf = (error: number, freedom: number): number =>
  freedom < 1 ? Infinity : error === 0 ? 0 : studentQuantile(0.025, freedom) * error

const chanceOf = (difference: number, error: number, freedom: number): number =>
  freedom < 1
    ? 1
    : error === 0
      ? difference === 0
        ? 1
        : 0
      : 2 * studentTail(Math.abs(difference) / error, freedom)

/** What is said of a difference, once chance over all that was asked is known. */
function judge(
  { one, other }: About,
  judged: { difference: number; low: number; high: number },
  trifle: number,
  believed: boolean,
): Pick<Difference, 'verdict' | 'secondsMore'> {
  const verdict = verdictOf(judged, trifle, believed)
  const times = timesAsMuch(judged, trifle)
  const seconds = Math.min(one.seconds, other.seconds)
  return {
    verdict,
    secondsMore:
      verdict !== 'cannot-tell' ? 0 : times === null ? null : Math.max(1, Math.ceil((times - 1) * seconds)),
  }
}

interface FrameFigure {
  figure: string
  /** Of values in any order, which it may reorder. */
  of: (workNs: Float64Array, budgetNs: number) => number
  trifle: (budgetNs: number) => number
}

const MS = 1e6
const work = (figure: string, p: number): FrameFigure => ({
  figure,
  of: (workNs) => percentileInPlace(workNs, p) / MS,
  trifle: (budgetNs) => (SAME * budgetNs) / MS,
})
const per1000 = 1000 * SAME

const FIGURES: FrameFigure[] = [
  {
    figure: 'mean',
    of: (workNs) => plainSum(workNs) / workNs.length / MS,
    trifle: (budgetNs) => (SAME * budgetNs) / MS,
  },
  work('p50', 0.5),
  work('p95', 0.95),
  work('p99', 0.99),
  {
    figure: 'over',
    of: (workNs, budgetNs) =>
      (workNs.reduce((over, ns) => over + (ns > budgetNs ? 1 : 0), 0) * 1000) / workNs.length,
    trifle: () => per1000,
  },
  {
    figure: 'overTime',
    of: (workNs, budgetNs) =>
      workNs.reduce((sum, ns) => sum + Math.max(0, ns - budgetNs), 0) / workNs.length / MS,
    trifle: (budgetNs) => (SAME * budgetNs) / MS,
  },
]

function frameRows(about: About): FrameRow[] {
  const { one, other, speed, budgetNs, freedom, resamples } = about
  const evenAfter = (ratio: number) => other.workNs.map((ns) => ns / ratio)
  const beforeNow = FIGURES.map(({ of }) => of(one.workNs.slice(), budgetNs))
  const afterNow = FIGURES.map(({ of }) => of(other.workNs.slice(), budgetNs))
  const even = FIGURES.map(({ of }) => of(evenAfter(speed.ratio), budgetNs))
  const [drawnBefore, drawnAfter] = [new Float64Array(one.frames), new Float64Array(other.frames)]
  const resampled = FIGURES.map(() => new Float64Array(FRAME_RESAMPLES))
  for (let i = 0; i < FRAME_RESAMPLES; i++) {
    const { startsBefore, startsAfter, speed: slower } = resamples[i]!
    draw(one, startsBefore, drawnBefore, 1)
    draw(other, startsAfter, drawnAfter, slower)
    FIGURES.forEach(({ of }, at) => {
      resampled[at]![i] = of(drawnAfter, budgetNs) - of(drawnBefore, budgetNs)
    })
  }
  const rows = FIGURES.map(({ figure, trifle }, at) => ({
    ...{ figure, before: beforeNow[at]!, after: afterNow[at]!, difference: even[at]! - beforeNow[at]! },
    ...{ error: deviationOf(resampled[at]!), trifle: trifle(budgetNs) },
  }))
  return [...rows, ...countedRows(about)].map(({ error, trifle, ...row }) => {
    const half = halfOf(error, freedom)
    const interval = { difference: row.difference, low: row.difference - half, high: row.difference + half }
    const believed = chanceOf(row.difference, error, freedom) <= BELIEVED
    return { ...row, ...interval, ...judge(about, interval, trifle, believed) }
  })
}

/** The frames of one resample. @param slower what their work is divided by */
function draw({ workNs, cellFrames }: Side, starts: Uint32Array, into: Float64Array, slower: number): void {
  const length = cellFrames * CELLS_A_BLOCK
  let at = 0
  for (let block = 0; at < into.length; block++) {
    const start = starts[block % starts.length]! * cellFrames
    for (let i = 0; i < length && at < into.length; i++)
      into[at++] = workNs[(start + i) % workNs.length]! / slower
  }
}

/** What does not hang on the machine's speed in proportion: late and held frames, collections, bytes. */
function countedRows({ one, other, budgetNs, resamples }: About) {
  const counted: {
    figure: string
    of: (study: Study, frame: number) => number
    trifle: number
    known?: (study: Study) => boolean
  }[] = [
    {
      figure: 'late',
      of: ({ frames }, frame) => (isLate(frames.durationNs[frame]!, budgetNs) ? 1000 : 0),
      trifle: per1000,
    },
    {
      figure: 'held',
      of: ({ frames }, frame) =>
        isLate(frames.durationNs[frame]!, budgetNs) && frames.workNs[frame]! <= budgetNs ? 1000 : 0,
      trifle: per1000,
    },
    { figure: 'collections', of: ({ frames }, frame) => 1000 * frames.collections[frame]!, trifle: per1000 },
    {
      figure: 'bytes',
      of: ({ frames }, frame) => Math.max(0, frames.bytes[frame]!),
      trifle: 1000,
      known: ({ frames }) => frames.bytes.some((value) => value !== BYTES_UNKNOWN),
    },
  ]
  return counted.flatMap(({ figure, of, trifle, known = () => true }) => {
    if (![...one.studies, ...other.studies].every(known)) return []
    const [cellsBefore, cellsAfter] = [one, other].map((side) => cellSums(side, of)) as [
      Float64Array,
      Float64Array,
    ]
    const meanOf = (sums: Float64Array, { cells }: Side, weights: Float64Array) =>
      weighted(sums, weights) / weighted(cells, weights)
    const [before, after] = [plainSum(cellsBefore) / one.frames, plainSum(cellsAfter) / other.frames]
    const differences = resamples.map(
      ({ weightsBefore, weightsAfter }) =>
        meanOf(cellsAfter, other, weightsAfter) - meanOf(cellsBefore, one, weightsBefore),
    )
    return [{ figure, before, after, difference: after - before, error: deviationOf(differences), trifle }]
  })
}

/** Of each cell the sum over its frames. */
function cellSums(
  { studies, cellFrames, cells }: Side,
  of: (study: Study, frame: number) => number,
): Float64Array {
  const sums = new Float64Array(cells.length)
  let firstCell = 0
  for (const study of studies) {
    const count = study.frames.workNs.length
    for (let frame = 0; frame < count; frame++)
      sums[firstCell + Math.floor(frame / cellFrames)]! += of(study, frame)
    firstCell += Math.ceil(count / cellFrames)
  }
  return sums
}

function pathRows(about: About): PathRow[] {
  const { one, other, speed, budgetNs, resamples, freedom } = about
  const keys = new Set([...one.paths.keys(), ...other.paths.keys()])
  const framesBefore = resamples.map(({ weightsBefore }) => weighted(one.cells, weightsBefore))
  const framesAfter = resamples.map(({ weightsAfter }) => weighted(other.cells, weightsAfter))
  const found = [...keys].flatMap((key) => {
    const [before, after] = [one.paths.get(key), other.paths.get(key)]
    const [was, is] = [figuresOf(before, one), figuresOf(after, other)]
    // What a frame waits for the refresh is what is left over of it.
    const { kind } = (before ?? after)!
    if (kind === 'wait:refresh' || Math.max(was.msPerFrame, is.msPerFrame) < (TRIFLE * budgetNs) / MS)
      return []
    // A wait does not get longer with the machine.
    const evenly = (ratio: number) => (kind.startsWith('wait:') ? 1 : ratio)
    const difference = is.msPerFrame / evenly(speed.ratio) - was.msPerFrame
    const differences = resamples.map(({ weightsBefore, weightsAfter, speed: slower }, i) => {
      const meanBefore = before === undefined ? 0 : weighted(before.selfNs, weightsBefore) / framesBefore[i]!
      const meanAfter = after === undefined ? 0 : weighted(after.selfNs, weightsAfter) / framesAfter[i]!
      return (meanAfter / evenly(slower) - meanBefore) / MS
    })
    const error = deviationOf(differences)
    return [
      {
        before,
        after,
        was,
        is,
        ratio: evenly(speed.ratio),
        difference,
        error,
        chance: chanceOf(difference, error, freedom),
      },
    ]
  })
  const rates = falseDiscoveryRates(found.map(({ chance }) => chance))
  return found
    .map(({ before, after, was, is, ratio, difference, error }, i): PathRow => {
      const half = halfOf(error, freedom)
      const interval = { difference, low: difference - half, high: difference + half }
      const { path, lane } = (before ?? after)!
      const costAfter = is.msPerCall / ratio
      const change = before === undefined ? 'appeared' : after === undefined ? 'vanished' : 'both'
      return {
        ...{ path, lane, before: was, after: is, change },
        pathBefore: before?.ids.find((id) => id !== null) ?? null,
        pathAfter: after?.ids.find((id) => id !== null) ?? null,
        ...interval,
        fromRunsMs:
          (is.callsPerFrame - was.callsPerFrame) * (change === 'appeared' ? costAfter : was.msPerCall),
        fromCostMs: change === 'both' ? is.callsPerFrame * (costAfter - was.msPerCall) : 0,
        movedFrom: change === 'appeared' ? movedFrom(path, one, other) : [],
        ...judge(about, interval, (SAME * budgetNs) / MS, rates[i]! <= BELIEVED),
      }
    })
    .sort((a, b) => Math.abs(b.difference) - Math.abs(a.difference))
}

function figuresOf(series: PathSeries | undefined, { frames, studies }: Side): PathSideFigures {
  const knowsBytes = studies.every(({ conditions }) => conditions.mode === 'bytes')
  if (series === undefined)
    return {
      ...{ callsPerFrame: 0, msPerCall: 0, msPerFrame: 0, needlessPerFrame: 0 },
      bytesPerFrame: knowsBytes ? 0 : null,
    }
  const [ns, calls] = [plainSum(series.selfNs), plainSum(series.calls)]
  return {
    callsPerFrame: calls / frames,
    msPerCall: calls > 0 ? ns / calls / MS : 0,
    msPerFrame: ns / frames / MS,
    bytesPerFrame: knowsBytes ? plainSum(series.bytes) / frames : null,
    needlessPerFrame: plainSum(series.needless) / frames,
  }
}

/** A path of the same marker that is gone after. */
function movedFrom(path: readonly string[], one: Side, other: Side): string[] {
  const gone = [...one.paths].find(
    ([key, series]) => series.path.at(-1) === path.at(-1) && !other.paths.has(key),
  )
  return gone?.[1].path ?? []
}
