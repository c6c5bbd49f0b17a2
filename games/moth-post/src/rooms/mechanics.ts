import type { Probe } from '@lapsus/probe'
import type { World } from '../world.ts'

/** The gears turn in steps of this length, whatever the frames do. */
const STEP_MS = 1000 / 120
/** With the fix, what does not fit into so many steps is left out: the gears run slow for once. */
const MOST_STEPS = 4

export const turnGearsMarkers = (probe: Probe) => ({
  'belt.mechanics': probe.marker('belt.mechanics', { group: 'belts' }),
  'mechanics.step': probe.marker('mechanics.step', { group: 'belts' }),
})

/** Turns the gears by the time that has passed. @returns steps run */
export function turnGears(world: World, elapsedMs: number): number {
  const { probe, markers, mechanics } = world
  probe.enter(markers['belt.mechanics'])
  mechanics.owedMs += elapsedMs
  // A whole number of steps must not come out as one less.
  let steps = Math.floor(mechanics.owedMs / STEP_MS + 1e-6)
  mechanics.owedMs -= steps * STEP_MS
  if (!world.settings.flaws.has('step-pileup')) steps = Math.min(steps, MOST_STEPS)
  for (let i = 0; i < steps; i++) {
    probe.enter(markers['mechanics.step'])
    turn(mechanics.strain, world.step)
    probe.leave()
  }
  probe.leave()
  return steps
}

function turn(strain: Float64Array, step: number): void {
  const last = strain.length - 1
  for (let pass = 0; pass < 6; pass++) {
    strain[0] = Math.sin(step * 0.05 + pass)
    for (let gear = 1; gear < last; gear++) {
      strain[gear] = 0.495 * (strain[gear - 1]! + strain[gear + 1]!)
    }
  }
}
