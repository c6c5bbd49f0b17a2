/** Phases for a set of periodic work, so that the worst frame is as light as can be. */
import { largest } from './shares.ts'

export interface PeriodicTask {
  /** Frames from one run to the next, at least 1. */
  period: number
  cost: number
}

/** Beyond this the load is looked at over a part of the common period. */
const LONGEST = 5_040
const RANDOM_DRAWS = 200

const gcd = (a: number, b: number): number => (b === 0 ? a : gcd(b, a % b))

/** Frames after which everything repeats: the least common multiple, at most 5,040. */
export function commonPeriod(tasks: readonly PeriodicTask[]): number {
  let common = 1
  for (const { period } of tasks) {
    common = (common / gcd(common, period)) * period
    if (common > LONGEST) return LONGEST
  }
  return common
}

/** Cost in each frame of the common period. @param phases frame of each task's first run, below its period */
export function loadOfPhases(
  tasks: readonly PeriodicTask[],
  phases: readonly number[],
  length = commonPeriod(tasks),
): Float64Array {
  const load = new Float64Array(length)
  tasks.forEach((task, i) => place(load, task, phases[i]!, task.cost))
  return load
}

function place(load: Float64Array, { period }: PeriodicTask, phase: number, cost: number): void {
  for (let frame = phase; frame < load.length; frame += period) load[frame]! += cost
}

/** First the worst frame counts; of equal ones the more even load (the smaller sum of squares). */
interface Score {
  worst: number
  squares: number
}
const isBetter = (a: Score, b: Score) =>
  a.worst < b.worst - 1e-9 * b.worst ||
  (a.worst <= b.worst * (1 + 1e-9) && a.squares < b.squares * (1 - 1e-9))

/** What a load would be with a task at a phase: only the frames it falls into are looked at. */
function scoreAt(load: Float64Array, { period, cost }: PeriodicTask, phase: number): Score {
  let worst = 0
  let squares = 0
  for (let frame = phase; frame < load.length; frame += period) {
    const value = load[frame]! + cost
    if (value > worst) worst = value
    squares += value * value - load[frame]! * load[frame]!
  }
  return { worst, squares }
}

/** @param start the phase that is taken first, and so of equal ones */
function bestPhase(load: Float64Array, task: PeriodicTask, start: number): number {
  let best = 0
  let score: Score = { worst: Infinity, squares: Infinity }
  for (let step = 0; step < task.period; step++) {
    const phase = (start + step) % task.period
    const found = scoreAt(load, task, phase)
    if (isBetter(found, score)) {
      best = phase
      score = found
    }
  }
  return best
}

const scoreOf = (load: Float64Array): Score => ({
  worst: largest(load),
  squares: load.reduce((sum, cost) => sum + cost * cost, 0),
})

/**
 * The costliest task is placed first, each where the worst frame stays lightest; then single tasks and pairs of
 * tasks are moved as long as that helps (local search over the common period).
 * @returns the frame of each task's first run
 */
export function optimisePhases(tasks: readonly PeriodicTask[]): number[] {
  const load = new Float64Array(commonPeriod(tasks))
  const phases = new Array<number>(tasks.length).fill(0)
  const order = [...tasks.keys()].sort((a, b) => tasks[b]!.cost - tasks[a]!.cost)
  // Where it makes no difference, they lie evenly.
  const starts = tasks.map(({ period }, i) => Math.floor((order.indexOf(i) * period) / tasks.length))
  for (const i of order) {
    phases[i] = bestPhase(load, tasks[i]!, starts[i]!)
    place(load, tasks[i]!, phases[i]!, tasks[i]!.cost)
  }
  let score = scoreOf(load)
  const groups = [
    ...order.map((i) => [i]),
    ...order.flatMap((i, at) =>
      order.slice(at + 1).flatMap((j) => [
        [i, j],
        [j, i],
      ]),
    ),
  ]
  for (let improved = true; improved;) {
    improved = false
    for (const group of groups) {
      const before = group.map((i) => phases[i]!)
      for (const i of group) place(load, tasks[i]!, phases[i]!, -tasks[i]!.cost)
      for (const i of group) {
        phases[i] = bestPhase(load, tasks[i]!, starts[i]!)
        place(load, tasks[i]!, phases[i]!, tasks[i]!.cost)
      }
      const found = scoreOf(load)
      if (isBetter(found, score)) {
        score = found
        improved = true
        continue
      }
      group.forEach((i, at) => {
        place(load, tasks[i]!, phases[i]!, -tasks[i]!.cost)
        phases[i] = before[at]!
      })
      for (const i of group) place(load, tasks[i]!, phases[i]!, tasks[i]!.cost)
    }
  }
  return phases
}

/** The worst frame with phases drawn at random, in the middle of so many draws: what no care gives. */
export function randomWorst(tasks: readonly PeriodicTask[], random: () => number): number {
  const length = commonPeriod(tasks)
  const worst = Float64Array.from({ length: RANDOM_DRAWS }, () =>
    largest(
      loadOfPhases(
        tasks,
        tasks.map(({ period }) => Math.floor(random() * period)),
        length,
      ),
    ),
  ).sort()
  return worst[RANDOM_DRAWS >> 1]!
}
