/** Every path on both sides. */
import { deviationOf, falseDiscoveryRates, sum } from '../stats/index.ts'
import { chanceOf, halfOf, judge } from './judge.ts'
import { weighted, type About } from './resample.ts'
import type { PathSeries, Side } from './series.ts'
import { BELIEVED, SAME, type Difference } from './verdict.ts'

const MS = 1e6
/** A path that takes less than this share of the budget on both sides is left out. */
const TRIFLE = 0.0002

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

export function pathRows(about: About): PathRow[] {
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
  const [ns, calls] = [sum(series.selfNs), sum(series.calls)]
  return {
    callsPerFrame: calls / frames,
    msPerCall: calls > 0 ? ns / calls / MS : 0,
    msPerFrame: ns / frames / MS,
    bytesPerFrame: knowsBytes ? sum(series.bytes) / frames : null,
    needlessPerFrame: sum(series.needless) / frames,
  }
}

/** A path of the same marker that is gone after. */
function movedFrom(path: readonly string[], one: Side, other: Side): string[] {
  const gone = [...one.paths].find(
    ([key, series]) => series.path.at(-1) === path.at(-1) && !other.paths.has(key),
  )
  return gone?.[1].path ?? []
}
