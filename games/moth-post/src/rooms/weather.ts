import type { Probe } from '@lapsus/probe'
import { STEP_S } from '../settings.ts'
import { TOWN } from '../town.ts'
import { FIELD } from '../wind.ts'
import type { World } from '../world.ts'

/** Asks for the next wind every so many steps, and uses it one step later. */
const EVERY_STEPS = 4

export const startWindMarkers = (probe: Probe) => ({
  'wind.start': probe.marker('wind.start', { group: 'weather' }),
  'wind.job': probe.marker('wind.job', { group: 'weather' }),
})

export function startWind(world: World): void {
  if (world.step % EVERY_STEPS !== 0) return
  const { probe, markers } = world
  probe.enter(markers['wind.start'])
  world.windJob = probe.dispatch(markers['wind.job'])
  world.wind.start(1 + world.step * STEP_S, world.windJob)
  probe.leave()
}

export const applyWindMarkers = (probe: Probe) => ({
  'wind.join': probe.marker('wind.join', { group: 'weather', kind: 'wait:job' }),
  'wind.apply': probe.marker('wind.apply', { group: 'weather' }),
})

export function applyWind(world: World): void {
  const { probe, markers } = world
  if (world.step % EVERY_STEPS !== 1) return
  probe.enter(markers['wind.join'], world.windJob)
  world.windField = world.wind.join()
  probe.leave()
  probe.enter(markers['wind.apply'])
  for (const lantern of world.town.lanterns) {
    lantern.glow = 0.8 + 0.2 * (1 - Math.min(1, Math.abs(windAt(world, lantern.x, lantern.y))))
  }
  probe.leave()
}

export function windAt(world: World, x: number, y: number): number {
  const column = Math.min(FIELD - 1, Math.max(0, Math.floor((x / TOWN) * FIELD)))
  const row = Math.min(FIELD - 1, Math.max(0, Math.floor((y / TOWN) * FIELD)))
  return world.windField[row * FIELD + column]!
}
