/** What frames wait for: over against held, by reason, by path; and the fixed steps that catch up after it. */
import { lowerBound, median, sum } from '../stats/index.ts'
import { frameFigures, MAIN_LANE, NS_PER_MS, WAIT_REASONS, type Job, type WaitReason } from '../take/index.ts'
import { pacingOf, type Pacing, type Study } from '../study/index.ts'
import type { Evidence } from './gather-evidence.ts'

/** A job on another lane. */
export interface WaitedFor {
  lane: string
  marker: string
  /** The path inside the job with the most self time; null where its lane recorded no span of it. */
  mostly: number | null
  /** Waits that ended with it. */
  times: number
}

export interface WaitingPath {
  path: number
  reason: WaitReason
  /** Mean over all frames, ns. */
  meanNs: number
  worstNs: number
  worstFrame: number
  /** Frames in which it waited. */
  frames: number
  /** For a job: what ran elsewhere while it waited, most often first. */
  waitedFor: WaitedFor[]
}

/** Frames that ran so many fixed steps. */
export interface StepCount {
  steps: number
  frames: number
  /** Median duration of the frame before: what had to be caught up. */
  durationBeforeNs: number
  workNs: number
}

export interface Waiting {
  pacing: Pacing
  frames: number
  over: number
  held: number
  heldBy: Record<WaitReason, number>
  /** Mean a frame, ns. */
  waitNs: Record<WaitReason, number>
  paths: WaitingPath[]
  /** Empty when no frame runs fixed steps. */
  steps: StepCount[]
  step: StepFigures | null
}

export interface StepFigures {
  /** Number of the path that runs once a step; null if none does. */
  path: number | null
  /** What one step costs, ns; 0 without a path. */
  costNs: number
  /** Game time of a step: recorded time over steps, ns. */
  lengthNs: number
  usual: number
  /** Cost over length: at 1 the game can no longer keep up. */
  utilisation: number
}

export function waitingOf(evidence: Evidence): Waiting {
  const { study, budgetNs, count } = evidence
  const { frames } = study
  const { over, held, heldBy } = frameFigures(frames, budgetNs / NS_PER_MS)
  return {
    pacing: pacingOf(frames.durationNs, budgetNs / 1e6),
    frames: count,
    over,
    held,
    heldBy,
    waitNs: Object.fromEntries(
      WAIT_REASONS.map((reason) => [reason, sum(frames.waitNs[reason]) / Math.max(1, count)]),
    ) as Record<WaitReason, number>,
    paths: waitingPaths(evidence),
    steps: stepCounts(evidence),
    step: stepFigures(evidence),
  }
}

/** The paths of the main lane that wait, the longest first. */
export function waitingPaths(evidence: Evidence): WaitingPath[] {
  const { study, count } = evidence
  return [...study.courses.values()]
    .flatMap((course): WaitingPath[] => {
      const { kind, lane } = study.paths.get(course.path)
      if (lane !== MAIN_LANE || !kind.startsWith('wait:')) return []
      let worst = 0
      let sum = 0
      for (let cell = 0; cell < course.selfNs.length; cell++) {
        sum += course.selfNs[cell]!
        if (course.selfNs[cell]! > course.selfNs[worst]!) worst = cell
      }
      return [
        {
          path: course.path,
          reason: kind.slice('wait:'.length) as WaitReason,
          meanNs: sum / Math.max(1, count),
          worstNs: course.selfNs[worst] ?? 0,
          worstFrame: course.frame[worst] ?? 0,
          frames: course.frame.length,
          waitedFor: kind === 'wait:job' ? jobsDuring(evidence, course.frame) : [],
        },
      ]
    })
    .sort((a, b) => b.meanNs - a.meanNs)
}

/** In which lane a job ended, and when. */
export type EndedJob = Job & { ended: NonNullable<Job['ended']> }

/** Of the jobs that ended in each of these frames the last one, which held the others up; null where none did. */
export function lastJobs({ frames, jobs }: Study, inFrames: Uint32Array): (EndedJob | null)[] {
  const ended = jobs
    .filter((job): job is EndedJob => job.ended !== null)
    .sort((a, b) => a.ended.atNs - b.ended.atNs)
  const endNs = Float64Array.from(ended, (job) => job.ended.atNs)
  return Array.from(inFrames, (frame) => {
    const startNs = frames.startNs[frame]!
    // A frame may end with its wait, in the same ns as the job.
    const job = ended[lowerBound(endNs, startNs + frames.durationNs[frame]! + 1) - 1]
    return job === undefined || job.ended.atNs <= startNs ? null : job
  })
}

function jobsDuring({ study }: Evidence, inFrames: Uint32Array): WaitingPath['waitedFor'] {
  const { declarations } = study
  const times = new Map<string, WaitingPath['waitedFor'][number]>()
  for (const job of lastJobs(study, inFrames)) {
    if (job === null) continue
    const lane = declarations.lane(job.ended.lane).name
    const marker = declarations.marker(job.marker).name
    const key = `${job.ended.lane} ${job.marker}`
    const known = times.get(key)
    if (known === undefined) {
      times.set(key, { lane, marker, mostly: heaviestInside(study, job.ended.lane, job.marker), times: 1 })
    } else known.times++
  }
  return [...times.values()].sort((a, b) => b.times - a.times)
}

/** Of the paths that a job consists of, the one that takes most of it. */
function heaviestInside(study: Study, lane: number, marker: number): number | null {
  const inside = [...study.courses.values()].filter(
    ({ path }) =>
      study.paths.get(path).lane === lane &&
      study.paths.chain(path).some((above) => study.paths.get(above).marker === marker),
  )
  const heaviest = inside
    .map(({ path, selfNs }) => ({ path, ns: sum(selfNs) }))
    .reduce<{ path: number; ns: number } | null>((a, b) => (a === null || b.ns > a.ns ? b : a), null)
  return heaviest?.path ?? null
}

function stepCounts({ study, count }: Evidence): StepCount[] {
  const { steps, durationNs, workNs } = study.frames
  const groups = new Map<number, number[]>()
  for (let frame = 1; frame < count; frame++) {
    const group = groups.get(steps[frame]!)
    if (group === undefined) groups.set(steps[frame]!, [frame])
    else group.push(frame)
  }
  if (![...groups.keys()].some((number) => number > 0)) return []
  return [...groups]
    .map(([number, frames]) => ({
      steps: number,
      frames: frames.length,
      durationBeforeNs: median(frames.map((frame) => durationNs[frame - 1]!)),
      workNs: median(frames.map((frame) => workNs[frame]!)),
    }))
    .sort((a, b) => a.steps - b.steps)
}

/** The path that runs once for each step, if one does: the outermost such. */
export function stepFigures({
  study,
  count,
  seconds,
  work,
}: Pick<Evidence, 'study' | 'count' | 'seconds' | 'work'>): StepFigures | null {
  const { steps } = study.frames
  const total = sum(steps)
  if (total === 0 || count === 0) return null
  const usual = median(steps)
  const lengthNs = (seconds * 1e9) / total
  const unknown = { path: null, costNs: 0, lengthNs, usual, utilisation: 0 }
  // Where every frame runs one step, everything that runs once a frame looks like it.
  if (steps.every((value) => value === usual)) return unknown
  const framesWithSteps = steps.reduce((sum, value) => sum + (value > 0 ? 1 : 0), 0)
  const found = work
    .filter(({ course }) => course.frame.length === framesWithSteps)
    .filter(({ course }) => course.calls.every((calls, cell) => calls === steps[course.frame[cell]!]))
    .sort((a, b) => a.path.depth - b.path.depth)[0]
  if (found === undefined) return unknown
  const costNs = sum(found.course.totalNs) / total
  return { path: found.path.id, costNs, lengthNs, usual, utilisation: costNs / lengthNs }
}
