import type { Probe } from '@lapsus/probe'
import { STEP_S } from '../settings.ts'
import { DISTRICTS, moveBoats } from '../town.ts'
import type { World } from '../world.ts'

export const flickerMarkers = (probe: Probe) => ({
  'lanterns.flicker': probe.marker('lanterns.flicker', { group: 'lanterns' }),
  'lantern.glow': probe.marker('lantern.glow', { group: 'lanterns' }),
})

/** Every lantern flickers, district by district. */
export function flicker(world: World): void {
  const { probe, markers, town } = world
  const timeS = world.step * STEP_S
  moveBoats(town, timeS)
  probe.gauge(world.gauges.lanterns, town.lanterns.length + town.boatsOut)
  probe.enter(markers['lanterns.flicker'])
  for (let district = 0; district < DISTRICTS; district++) {
    probe.enter(markers['lantern.glow'])
    for (const lantern of world.town.lanterns) {
      if (lantern.district !== district) continue
      lantern.phase += 0.13 * Math.sin(timeS + lantern.id) * Math.cos(timeS * 0.37 + lantern.x)
    }
    probe.leave()
  }
  probe.leave()
}
