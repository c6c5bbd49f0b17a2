import type { MarkerId, Probe } from '@lapsus/probe'

const GROUPS = {
  simulation: ['input.read', 'sim.step'],
  mail: ['mail.arrive', 'letter.admit', 'letter.address', 'letters.deliver', 'letter.retire'],
  belts: ['belts.step', 'belt.move', 'belt.handOver', 'stamp.station', 'stamp.press', 'stamp.dry'],
  sorting: ['sort.pass', 'sort.weigh', 'sort.bin'],
  weather: ['wind.start', 'wind.apply'],
  moths: ['moths.update', 'moth.update', 'moth.steer', 'moth.seek', 'lantern.measure'],
  couriers: ['couriers.dispatch', 'route.plan', 'path.search'],
  lanterns: ['lanterns.flicker', 'lantern.glow'],
  tally: ['tally.update', 'tally.count', 'tally.text'],
  shift: ['shift.check', 'shift.bell', 'roll.call', 'roll.names', 'roll.letters', 'roll.seals'],
  house: ['house.keep', 'dust.sweep', 'audit.count'],
  board: ['board.draw', 'draw.collect', 'draw.cull', 'draw.sort', 'draw.batch', 'draw.submit'],
} as const

type WorkMarker = (typeof GROUPS)[keyof typeof GROUPS][number]
type WaitMarker = 'wind.join' | 'refresh.wait'

/** The handle of every marker of the game, by name. */
export type Markers = Record<WorkMarker | WaitMarker, MarkerId>

export function declareMarkers(probe: Probe): Markers {
  const markers: Partial<Markers> = {
    'wind.join': probe.marker('wind.join', { group: 'weather', kind: 'wait:job' }),
    'refresh.wait': probe.marker('refresh.wait', { group: 'display', kind: 'wait:refresh' }),
  }
  for (const [group, names] of Object.entries(GROUPS)) {
    for (const name of names) markers[name] = probe.marker(name, { group })
  }
  return markers as Markers
}
