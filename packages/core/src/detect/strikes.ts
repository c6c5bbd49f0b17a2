/**
 * Runs that took far longer than their kind, each alone in its frame. A thread that is taken away is so wherever it
 * happens to be: the longer a path runs, the likelier it is struck. What is struck more often than that has a trouble
 * of its own.
 */
import { binomialTail, MAD_TO_SIGMA, median, medianDeviation } from '../stats/index.ts'
import { MAIN_LANE } from '../take/index.ts'
import { budgetNsOf, factorByFrame, frameCount, type MachineSpeed, type Study } from '../study/index.ts'

/** A run is struck when its path takes longer by this share of the budget, and so far out of its own spread. */
const LEAST_EXCESS = 0.05
const SIGMAS = 8
/** The system’s own word counts where it explains this share of what is too much. */
const TOLD = 0.5
/** What strikes fewer paths than this may be the game's as well as the machine's. */
const LEAST_PATHS = 2
/** And fewer times than this may be anything. */
const LEAST_TIMES = 3
/** Paths struck in the same frame, from which on it is the frame that was slow and not one run. */
const TOGETHER = 3
/** The chance, after asking all paths, below which a path is struck too often for its share of the time. */
const BELIEVED = 0.01
/** So many strikes of one path, all as large to this share, are no accidents if they are most of all there are. */
const ALIKE = 0.3
/** Or if they are as large and as far apart to this share. */
const EQUAL = 0.08
const LEAST_ALIKE = 4
const MOST_OF_ALL = 0.5
/** So many other paths that scatter as much make it the way of the machine. */
const OTHERS = 2
/** Paths of at most so many times the runs a frame can be compared run by run. */
const COMPARABLE_RUNS = 2

export const STRIKE_LIMITS = {
  ...{
    LEAST_EXCESS,
    SIGMAS,
    TOLD,
    LEAST_PATHS,
    LEAST_TIMES,
    TOGETHER,
    BELIEVED,
    ALIKE,
    EQUAL,
    LEAST_ALIKE,
    MOST_OF_ALL,
    OTHERS,
    COMPARABLE_RUNS,
  },
}

interface Strike {
  /** Null for time outside any marker. */
  path: number | null
  frame: number
  /** Longer than its kind, ns. */
  excessNs: number
}

export interface Strikes {
  /** Runs that the system is to blame for, as far as frequencies can tell. */
  byChance: Strike[]
  /** Those of paths that are struck more often than their share of the running time. */
  own: Strike[]
  /** The paths of `own`. */
  ownPaths: ReadonlySet<number | null>
}

/** Whether the system itself says that it took the thread for most of that time. */
type IsTold = (frame: number, excessNs: number) => boolean

/** Whether the strikes by chance are enough to say that it was the machine. */
export const isMachine = ({ byChance }: Strikes): boolean =>
  byChance.length >= LEAST_TIMES && new Set(byChance.map(({ path }) => path)).size >= LEAST_PATHS

/** What is known of a path's runs, to tell those that are struck. */
interface Runs {
  path: number | null
  /** By cell. */
  frame: Uint32Array
  ns: Float64Array
  calls: Uint32Array
  /** A run usually takes, ns. */
  runNs: number
  /** By frame: how many times as long runs take as usual. */
  factor: Float64Array
}

/** How long a cell would usually be, ns. */
const usualNs = ({ frame, calls, runNs, factor }: Runs, cell: number): number =>
  runNs * calls[cell]! * factor[frame[cell]!]!

export function findStrikes(
  study: Study,
  unmarked: Float64Array,
  isPause: Uint8Array,
  speed: MachineSpeed,
): Strikes {
  const leastNs = LEAST_EXCESS * budgetNsOf(study)
  const all = [...workRuns(study, speed), unmarkedRuns(unmarked)]
  const { takenNs } = study.frames
  const isTold: IsTold = (frame, excessNs) => takenNs[frame]! >= TOLD * excessNs
  const found = all.flatMap((runs) => struck(runs, leastNs, isPause))
  const times = new Map<number, number>()
  for (const { frame } of found) times.set(frame, (times.get(frame) ?? 0) + 1)
  const strikes = found.filter(
    ({ frame, excessNs }) => times.get(frame)! < TOGETHER && !isTold(frame, excessNs),
  )
  const ownPaths = pathsOfTheirOwn(all, strikes, isTold)
  return {
    byChance: strikes.filter(({ path }) => !ownPaths.has(path)),
    own: strikes.filter(({ path }) => ownPaths.has(path)),
    ownPaths,
  }
}

function workRuns(study: Study, speed: MachineSpeed): Runs[] {
  const factor = factorByFrame(speed, frameCount(study))
  return [...study.courses.values()].flatMap((course) => {
    const { kind, lane } = study.paths.get(course.path)
    const { path, frame, calls, selfNs } = course
    const runNs = speed.usualRunNs.get(path)!
    return kind === 'work' && lane === MAIN_LANE ? [{ path, frame, ns: selfNs, calls, runNs, factor }] : []
  })
}

function unmarkedRuns(unmarked: Float64Array): Runs {
  return {
    path: null,
    frame: Uint32Array.from(unmarked.keys()),
    ns: unmarked,
    calls: new Uint32Array(unmarked.length).fill(1),
    runNs: median(unmarked),
    factor: new Float64Array(unmarked.length).fill(1),
  }
}

function struck(runs: Runs, leastNs: number, isPause: Uint8Array): Strike[] {
  const { path, frame, ns } = runs
  const isLong = (cell: number): boolean => ns[cell]! >= leastNs && ns[cell]! - usualNs(runs, cell) >= leastNs
  let first = 0
  while (first < ns.length && !isLong(first)) first++
  // Most paths are never too long: they need no spread.
  if (first === ns.length) return []
  const excess = ns.map((cellNs, cell) => cellNs - usualNs(runs, cell))
  const least = Math.max(leastNs, SIGMAS * MAD_TO_SIGMA * medianDeviation(excess))
  const strikes: Strike[] = []
  excess.forEach((excessNs, cell) => {
    if (excessNs >= least && isPause[frame[cell]!] === 0)
      strikes.push({ path, frame: frame[cell]!, excessNs })
  })
  return strikes
}

/** The paths that chance does not explain: the clearest first, then those that it does not explain either without them. */
function pathsOfTheirOwn(
  all: readonly Runs[],
  strikes: readonly Strike[],
  isTold: IsTold,
): Set<number | null> {
  const own = new Set<number | null>()
  const ofPath = new Map<number | null, Strike[]>()
  for (const strike of strikes) ofPath.set(strike.path, [...(ofPath.get(strike.path) ?? []), strike])
  const runningNs = new Map(all.map((runs) => [runs.path, usualSum(runs)]))
  const left = () => [...ofPath].filter(([path]) => !own.has(path))
  for (;;) {
    const total = left().reduce((count, [, { length }]) => count + length, 0)
    let timeNs = 0
    for (const [path, ns] of runningNs) if (!own.has(path)) timeNs += ns
    let clearest: { path: number | null; chance: number } | null = null
    for (const [path, { length }] of left()) {
      const chance = all.length * binomialTail(length, total, runningNs.get(path)! / Math.max(1, timeNs))
      if (chance <= (clearest?.chance ?? BELIEVED) && !othersVaryAsMuch(all, path, ofPath.get(path)!, isTold))
        clearest = { path, chance }
    }
    const alike = left().find(
      ([, own]) =>
        (own.length >= Math.max(LEAST_ALIKE, MOST_OF_ALL * total) &&
          areAlike(
            own.map(({ excessNs }) => excessNs),
            ALIKE,
          )) ||
        haveRhythm(own),
    )
    const next = clearest?.path ?? alike?.[0]
    if (next === undefined) return own
    own.add(next)
  }
}

/** How long it would usually run in all, ns. */
function usualSum(runs: Runs): number {
  let ns = 0
  for (let cell = 0; cell < runs.frame.length; cell++) ns += usualNs(runs, cell)
  return ns
}

const areAlike = (values: readonly number[], alike: number): boolean =>
  Math.max(...values) - Math.min(...values) <= alike * median(values)

/** Whether those of about one size are equally far apart. */
function haveRhythm(strikes: readonly Strike[]): boolean {
  const bySize = [...strikes].sort((a, b) => a.excessNs - b.excessNs)
  let end = 0
  for (let first = 0; first + LEAST_ALIKE <= bySize.length; first++) {
    const before = end
    while (end < bySize.length && bySize[end]!.excessNs <= (1 + EQUAL) * bySize[first]!.excessNs) end++
    if (end === before || end - first < LEAST_ALIKE) continue
    const alike = bySize.slice(first, end).sort((a, b) => a.frame - b.frame)
    if (areAlike(gapsOf(alike), EQUAL)) return true
  }
  return false
}

const gapsOf = (strikes: readonly Strike[]): number[] =>
  strikes.slice(1).map(({ frame }, i) => frame - strikes[i]!.frame)

/**
 * Whether runs of other paths are as often so many times as long as usual: then it is the way of this machine that times
 * scatter, and the path stands out only because its runs are the longest.
 */
function othersVaryAsMuch(
  all: readonly Runs[],
  path: number | null,
  strikes: readonly Strike[],
  isTold: IsTold,
): boolean {
  const own = all.find((runs) => runs.path === path)!
  const times = timesOf(own, strikes)
  const middle = median(times)
  const mostRuns = COMPARABLE_RUNS * median(own.calls)
  const others = all.filter(
    (runs) => runs.path !== path && runs.path !== null && median(runs.calls) <= mostRuns,
  )
  const counts = others.map((runs) => longFrames(runs, middle, isTold))
  // Frames in which all code was slower say nothing of single runs.
  const together = new Map<number, number>()
  for (const frames of counts) for (const frame of frames) together.set(frame, (together.get(frame) ?? 0) + 1)
  const hits = times.filter((value) => value >= middle).length
  const alike = others.filter(({ ns }, i) => {
    const asLong = counts[i]!.filter((frame) => together.get(frame)! < TOGETHER).length
    return binomialTail(hits, own.ns.length, asLong / ns.length) > BELIEVED
  })
  return alike.length >= OTHERS
}

/** The frames in which a path took so many times as long as usual, as far as the system does not explain it. */
function longFrames(runs: Runs, times: number, isTold: IsTold): number[] {
  const { frame, ns } = runs
  const frames: number[] = []
  for (let cell = 0; cell < ns.length; cell++) {
    const usual = usualNs(runs, cell)
    if (ns[cell]! >= times * usual && !isTold(frame[cell]!, ns[cell]! - usual)) frames.push(frame[cell]!)
  }
  return frames
}

/** How many times as long as usual each of the strikes is. */
function timesOf(runs: Runs, strikes: readonly Strike[]): number[] {
  const { frame, ns } = runs
  const at = new Set(strikes.map((strike) => strike.frame))
  const times: number[] = []
  for (let cell = 0; cell < ns.length; cell++)
    if (at.has(frame[cell]!)) times.push(ns[cell]! / Math.max(1, usualNs(runs, cell)))
  return times
}
