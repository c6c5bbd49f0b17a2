/** Frames that stick out of the frames around them, joined to episodes, each explained. */
import {
  lowerBound,
  MAD_TO_SIGMA,
  median,
  percentileInPlace,
  runningSpread,
  spreadAt,
  sum,
  type RunningSpread,
} from '../stats/index.ts'
import { longestWait, MAIN_LANE } from '../take/index.ts'
import type { MachineBlame } from './blame-machine.ts'
import { budgetNsOf, frameCount, unbrokenStretches, type PathCourse, type Study } from '../study/index.ts'

/** Frames on either side of a frame that it is compared with: a window of 121. */
const REACH = 60
/** Standard deviations that a spike is away from the middle of its window (Hampel's identifier). */
const SIGMAS = 6
/** Where frames do not vary at all, this share of the budget is still no spike. */
const LEAST_EXCESS = 0.05
/** A frame is late from this many times the budget on: refreshes are not that even. */
const LATE = 1.05
/** Spikes at most so many frames apart are one episode. */
const JOIN = 3
/** An explanation covers this share of the excess. */
export const COVERED = 0.9
/** A path whose excess is below this share of the spike's is not looked at further. */
const TRIFLE = 0.01
const PAUSE_NS = 1e9
const PAUSE_SHARE = 0.9

export const WHYS = ['more-calls', 'slower-calls', 'collection', 'waiting', 'machine'] as const
export type Why = (typeof WHYS)[number]

/** What did more in the worst frame of a spike than it usually does in the frames around: a path, or the machine. */
export interface Cause {
  /** Number of the path; null for time outside any marker, and for the machine. */
  path: number | null
  excessNs: number
  selfNs: number
  /** Median of the normal frames around. */
  usualNs: number
  calls: number
  usualCalls: number
  why: Why
}

/** Frames are numbers in the study; both ends included. */
export interface Spike {
  /** The worst frame of the episode. */
  frame: number
  from: number
  to: number
  /** Its work fits the budget: it waited for something. */
  held: boolean
  workNs: number
  durationNs: number
  /** What the worst frame has more than the middle of its window: of work, or of duration if held. */
  excessNs: number
  /** The excess of all its frames. */
  severityNs: number
  /** How many frames stick out between its ends. */
  frames: number
  /** A normal frame nearby, as near the middle as any: to be laid beside. */
  typicalFrame: number
  /** Most excess first; together at least 90 % of it, if markers can tell. What the machine did comes before all. */
  causes: Cause[]
  /** Why it is the machine's and not the game's; null where it is the game's. */
  machine: MachineBlame | null
}

export const SPIKE_LIMITS = {
  ...{ REACH, SIGMAS, LEAST_EXCESS, LATE, JOIN, COVERED, TRIFLE, PAUSE_NS, PAUSE_SHARE },
}

/** Main-lane time outside any marker, by frame. */
export function unmarkedNs({ frames, courses, paths }: Study): Float64Array {
  const rest = frames.durationNs.slice()
  for (const course of courses.values()) {
    const { lane, depth } = paths.get(course.path)
    if (lane !== MAIN_LANE || depth !== 0) continue
    for (let cell = 0; cell < course.frame.length; cell++) rest[course.frame[cell]!]! -= course.totalNs[cell]!
  }
  return rest.map((ns) => Math.max(0, ns))
}

/** Frames in which nearly nothing was marked for longer than a second: the game was paused, or not there. */
export function pauseFrames({ frames }: Study, unmarked: Float64Array): Uint8Array {
  return Uint8Array.from(unmarked, (ns, frame) =>
    ns >= PAUSE_NS && ns >= PAUSE_SHARE * frames.durationNs[frame]! ? 1 : 0,
  )
}

/** The spikes of a study in order of time. */
export function findSpikes(study: Study, unmarked: Float64Array, isPause: Uint8Array): Spike[] {
  const { frames } = study
  const { isSpike, episodes } = spikeEpisodes(study, isPause)
  const explain = explainer(study, unmarked, isSpike, isPause)
  const spikes = episodes.map((episode): Spike => {
    const { frame, held, excessNs } = episode
    return {
      ...episode,
      workNs: frames.workNs[frame]!,
      durationNs: frames.durationNs[frame]!,
      ...explain(frame, held, excessNs),
      machine: null,
    }
  })
  return spikes.sort((a, b) => a.from - b.from)
}

type Episode = Pick<Spike, 'frame' | 'from' | 'to' | 'held' | 'excessNs' | 'severityNs' | 'frames'>

/** Where frames stick out, without saying why: those over the budget, then those held. */
export function spikeEpisodes(
  study: Pick<Study, 'frames' | 'target' | 'stretches'>,
  isPause: Uint8Array,
): { isSpike: Uint8Array; episodes: Episode[] } {
  const budgetNs = budgetNsOf(study)
  const { frames } = study
  const work = flattened(frames.workNs, isPause)
  const over = marked(study, work, isPause, (excess) => excess > budgetNs)
  const duration = flattened(frames.durationNs, isPause)
  const late = marked(study, duration, isPause, (durationNs, frame) => {
    if (durationNs <= budgetNs * LATE || frames.workNs[frame]! > budgetNs) return false
    // Waiting for a refresh is what is left over, or the consequence; it explains nothing.
    const reason = longestWait(frames, frame)
    return reason !== null && reason !== 'refresh'
  })
  return {
    isSpike: over.spikes.map((is, frame) => (is === 1 || late.spikes[frame] === 1 ? 1 : 0)),
    episodes: [
      ...episodesOf(over.spikes, work, over.middle, false),
      ...episodesOf(late.spikes, duration, late.middle, true),
    ],
  }
}

/** Pauses take the value before them, so that they bend no window. */
function flattened(values: Float64Array, isPause: Uint8Array): Float64Array {
  const flat = values.slice()
  for (let i = 0; i < flat.length; i++) if (isPause[i] === 1) flat[i] = i === 0 ? 0 : flat[i - 1]!
  return flat
}

function marked(
  study: Pick<Study, 'frames' | 'target' | 'stretches'>,
  values: Float64Array,
  isPause: Uint8Array,
  isBad: (value: number, frame: number) => boolean,
): { spikes: Uint8Array; middle: Float64Array } {
  const budgetNs = budgetNsOf(study)
  const candidates = new Uint8Array(values.length)
  for (let frame = 0; frame < values.length; frame++) {
    if (isPause[frame] === 0 && isBad(values[frame]!, frame)) candidates[frame] = 1
  }
  const spread = spreadOf(study, values, candidates)
  const spikes = candidates.map((is, frame) => {
    const usual = Math.max(SIGMAS * MAD_TO_SIGMA * spread.deviation[frame]!, LEAST_EXCESS * budgetNs)
    return is === 1 && values[frame]! > spread.median[frame]! + usual ? 1 : 0
  })
  return { spikes, middle: spread.median }
}

/** Fewer candidates than one in so many are looked at one by one. */
const FEW = 8

/** Middle and spread around each candidate; elsewhere they are not needed. */
function spreadOf(
  study: Pick<Study, 'frames' | 'stretches'>,
  values: Float64Array,
  candidates: Uint8Array,
): RunningSpread {
  const spread = { median: new Float64Array(values.length), deviation: new Float64Array(values.length) }
  for (const { from, to } of unbrokenStretches(study)) {
    if (sum(candidates.subarray(from, to)) * FEW > to - from) {
      runningSpread(values, REACH, from, to, spread)
      continue
    }
    for (let frame = from; frame < to; frame++) {
      if (candidates[frame] === 0) continue
      const { median, deviation } = spreadAt(values, frame, REACH, from, to)
      spread.median[frame] = median
      spread.deviation[frame] = deviation
    }
  }
  return spread
}

/** Neighbouring spikes are one episode. */
function episodesOf(
  isSpike: Uint8Array,
  values: Float64Array,
  middle: Float64Array,
  held: boolean,
): Episode[] {
  const found: Episode[] = []
  for (let frame = 0; frame < isSpike.length; frame++) {
    if (isSpike[frame] === 0) continue
    const excessNs = values[frame]! - middle[frame]!
    const last = found.at(-1)
    if (last === undefined || frame - last.to > JOIN) {
      found.push({ frame, from: frame, to: frame, held, excessNs, severityNs: excessNs, frames: 1 })
      continue
    }
    last.to = frame
    last.severityNs += excessNs
    last.frames++
    if (excessNs > last.excessNs) {
      last.excessNs = excessNs
      last.frame = frame
    }
  }
  return found
}

/** Gives what explains a frame: of its window only the frames count that are no spikes themselves. */
function explainer(study: Study, unmarked: Float64Array, isSpike: Uint8Array, isPause: Uint8Array) {
  const count = frameCount(study)
  const main = [...study.courses.values()].flatMap((course) => {
    const path = study.paths.get(course.path)
    return path.lane === MAIN_LANE ? [{ course, kind: path.kind }] : []
  })
  const stretches = unbrokenStretches(study)
  const stretchOf = (frame: number) =>
    stretches.find(({ from, to }) => frame >= from && frame < to) ?? { from: 0, to: count }
  const values = new Float64Array(2 * REACH + 1)

  return (frame: number, held: boolean, excessNs: number): Pick<Spike, 'causes' | 'typicalFrame'> => {
    const stretch = stretchOf(frame)
    const from = Math.max(stretch.from, frame - REACH)
    const to = Math.min(stretch.to, frame + REACH + 1)
    const normal: number[] = []
    for (let at = from; at < to; at++) if (isSpike[at] === 0 && isPause[at] === 0) normal.push(at)
    const usualOf = (course: PathCourse, column: 'selfNs' | 'calls'): number => {
      const { frame: frameOf } = course
      const figures = course[column]
      let cell = lowerBound(frameOf, from)
      for (let i = 0; i < normal.length; i++) {
        while (cell < frameOf.length && frameOf[cell]! < normal[i]!) cell++
        values[i] = cell < frameOf.length && frameOf[cell] === normal[i] ? figures[cell]! : 0
      }
      return normal.length === 0 ? 0 : percentileInPlace(values.subarray(0, normal.length), 0.5)
    }
    const causes: Cause[] = []
    for (const { course, kind } of main) {
      const isWait = kind.startsWith('wait:')
      if (isWait && !held) continue
      const cell = lowerBound(course.frame, frame)
      const selfNs = course.selfNs[cell]!
      if (course.frame[cell] !== frame || selfNs <= TRIFLE * excessNs) continue
      const usualNs = usualOf(course, 'selfNs')
      if (selfNs - usualNs <= TRIFLE * excessNs) continue
      const calls = course.calls[cell]!
      const usualCalls = usualOf(course, 'calls')
      const why: Why =
        kind === 'collect' ? 'collection' : isWait ? 'waiting' : whyOf(selfNs, usualNs, calls, usualCalls)
      causes.push({ path: course.path, excessNs: selfNs - usualNs, selfNs, usualNs, calls, usualCalls, why })
    }
    normal.forEach((at, i) => (values[i] = unmarked[at]!))
    const usualUnmarked = normal.length === 0 ? 0 : median(values.subarray(0, normal.length))
    const selfNs = unmarked[frame]!
    if (selfNs - usualUnmarked > TRIFLE * excessNs) {
      const cause = { path: null, excessNs: selfNs - usualUnmarked, selfNs, usualNs: usualUnmarked }
      causes.push({ ...cause, calls: 1, usualCalls: 1, why: 'slower-calls' })
    }
    return { causes: smallestCover(causes, excessNs), typicalFrame: nearestToMiddle(study, normal, frame) }
  }
}

/** What of the excess comes from more calls at the usual cost, and what from calls that cost more. */
function whyOf(selfNs: number, usualNs: number, calls: number, usualCalls: number): Why {
  if (usualCalls === 0) return 'more-calls'
  const fromMoreNs = (calls - usualCalls) * (usualNs / usualCalls)
  return fromMoreNs >= (selfNs - usualNs) / 2 ? 'more-calls' : 'slower-calls'
}

/** The fewest causes that make up 90 % of the excess: the largest ones. */
function smallestCover(causes: Cause[], excessNs: number): Cause[] {
  causes.sort((a, b) => b.excessNs - a.excessNs)
  let sum = 0
  const covering = causes.findIndex((cause) => (sum += cause.excessNs) >= COVERED * excessNs)
  return covering < 0 ? causes : causes.slice(0, covering + 1)
}

function nearestToMiddle({ frames }: Study, normal: number[], fallback: number): number {
  if (normal.length === 0) return fallback
  const middle = median(normal.map((at) => frames.workNs[at]!))
  return normal.reduce((best, at) =>
    Math.abs(frames.workNs[at]! - middle) < Math.abs(frames.workNs[best]! - middle) ? at : best,
  )
}
