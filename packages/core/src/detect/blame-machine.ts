/** Spikes that the machine made and not the game: what tells them. */
import { takenGauge } from '../format/index.ts'
import { lowerBound, median } from '../stats/index.ts'
import { MAIN_LANE, NS_PER_MS } from '../take/index.ts'
import { factorAt, frameCount, LEAST_TELLING, type MachineSpeed, type Study } from '../study/index.ts'
import type { Spike } from './spikes.ts'
import { isMachine, type Strikes } from './strikes.ts'

/** What the machine did explains at least this share of the excess. */
const MOST_OF_IT = 0.5
/** Code that is slower by less than this factor is not slow. */
const SLOWER = 1.3

export const MACHINE_LIMITS = { MOST_OF_IT, SLOWER }

/** How it is known: the system says so; all code was slower at once; a run was struck as any run may be. */
export const MACHINE_SIGNS = ['told', 'slower', 'struck'] as const
type MachineSign = (typeof MACHINE_SIGNS)[number]

export interface MachineBlame {
  by: MachineSign
  /** What of the excess it explains, ns. */
  excessNs: number
  /** How many times as long all code took as usual; 1 where that is not how it is known. */
  factor: number
}

/** For each spike what the machine did to it, or null. */
export function blameMachine(
  study: Study,
  spikes: readonly Spike[],
  strikes: Strikes,
  speed: MachineSpeed,
): (MachineBlame | null)[] {
  const { takenNs } = study.frames
  const known = takenNs.filter((ns) => ns >= 0)
  const usuallyTakenNs = known.length === 0 ? 0 : median(known)
  const struckNs = new Map(
    isMachine(strikes) ? strikes.byChance.map(({ frame, excessNs }) => [frame, excessNs]) : [],
  )
  const elsewhereNs = takenElsewhereNs(study)
  return spikes.map(({ frame, held, excessNs }) => {
    const least = MOST_OF_IT * excessNs
    // What waits for a job waits for whatever keeps its thread from running.
    const awaitedNs = held ? Math.min(elsewhereNs[frame]!, study.frames.waitNs.job[frame]!) : 0
    const toldNs = Math.max(takenNs[frame]! - usuallyTakenNs, awaitedNs)
    if (toldNs >= least) return { by: 'told', excessNs: Math.min(toldNs, excessNs), factor: 1 }
    const { factor, slowerNs } = slowerAt(study, speed, frame)
    if (slowerNs >= least) return { by: 'slower', excessNs: Math.min(slowerNs, excessNs), factor }
    const ns = struckNs.get(frame) ?? 0
    return ns >= least ? { by: 'struck', excessNs: Math.min(ns, excessNs), factor: 1 } : null
  })
}

/**
 * What the system took from the thread of one other lane, more than it usually does, by frame: of the lane from which it
 * took most. A job may have begun in the frame before.
 */
function takenElsewhereNs({ declarations, gauges, frames }: Study): Float64Array {
  const most = new Float64Array(frameCount({ frames }))
  for (const { id, name } of declarations.lanes.values()) {
    const gauge = [...declarations.gauges.values()].find((one) => one.name === takenGauge(name))
    const takenMs = id === MAIN_LANE || gauge === undefined ? undefined : gauges.get(gauge.id)
    if (takenMs === undefined) continue
    const known = takenMs.filter((ms) => ms >= 0)
    const usualMs = known.length === 0 ? 0 : median(known)
    for (let frame = 0; frame < most.length; frame++) {
      const more = [frame - 1, frame].reduce(
        (sum, at) => sum + Math.max(0, (takenMs[at] ?? 0) - usualMs || 0),
        0,
      )
      most[frame] = Math.max(most[frame]!, more * NS_PER_MS)
    }
  }
  return most
}

/** How many times as long all code took in a frame as around it, and what that comes to. */
function slowerAt(
  { frames }: Study,
  speed: MachineSpeed,
  frame: number,
): { factor: number; slowerNs: number } {
  const ratios: number[] = []
  const around = factorAt(speed, frame)
  for (const { course, runNs } of speed.telling) {
    const cell = lowerBound(course.frame, frame)
    if (course.frame[cell] === frame)
      ratios.push(course.selfNs[cell]! / (course.calls[cell]! * runNs * around))
  }
  if (ratios.length < LEAST_TELLING) return { factor: 1, slowerNs: 0 }
  const factor = median(ratios)
  // Of all that ran, whether it tells or not: it would have been done in a `factor`th of the time.
  return factor < SLOWER
    ? { factor, slowerNs: 0 }
    : { factor, slowerNs: frames.workNs[frame]! * (1 - 1 / factor) }
}
