import type { ClassId, GaugeId, MarkerId, Probe, WatchId } from '@lapsus/probe'

const GROUPS = {
  simulation: ['input.read', 'sim.step'],
  mail: ['mail.arrive', 'letter.admit', 'letter.address', 'letters.deliver', 'letter.retire', 'dead.look'],
  belts: [
    'belts.step',
    'belt.move',
    'belt.rules',
    'belt.test',
    'belt.handOver',
    'belt.mechanics',
    'mechanics.step',
    'stamp.station',
    'stamp.press',
    'stamp.dry',
  ],
  sorting: ['sort.pass', 'sort.weigh', 'sort.bin'],
  weather: ['wind.start', 'wind.apply', 'wind.job'],
  moths: [
    'moths.update',
    'moth.update',
    'moth.steer',
    'moth.seek',
    'lantern.measure',
    'wings.beat',
    'wing.beat',
  ],
  couriers: ['couriers.dispatch', 'route.plan', 'path.search', 'gates.check', 'routes.replan', 'routes.job'],
  lanterns: ['lanterns.flicker', 'lantern.glow'],
  tally: ['tally.update', 'tally.count'],
  shift: ['shift.check', 'shift.bell', 'roll.call', 'roll.names', 'roll.letters', 'roll.seals'],
  house: ['house.keep', 'dust.sweep', 'audit.count'],
  board: ['board.draw', 'draw.collect', 'draw.cull', 'draw.sort', 'draw.batch', 'draw.submit'],
} as const

type WorkMarker = (typeof GROUPS)[keyof typeof GROUPS][number]
type SpecialMarker =
  | 'wind.join'
  | 'routes.join'
  | 'archive.wait'
  | 'graphics.wait'
  | 'refresh.wait'
  | 'lantern.find'
  | 'tally.text'

/** The handle of every marker of the game, by name. */
export type Markers = Record<WorkMarker | SpecialMarker, MarkerId>

export function declareMarkers(probe: Probe, watches: { tally: WatchId }): Markers {
  const markers: Partial<Markers> = {
    'wind.join': probe.marker('wind.join', { group: 'weather', kind: 'wait:job' }),
    'routes.join': probe.marker('routes.join', { group: 'couriers', kind: 'wait:job' }),
    'archive.wait': probe.marker('archive.wait', { group: 'house', kind: 'wait:io' }),
    'graphics.wait': probe.marker('graphics.wait', { group: 'display', kind: 'wait:graphics' }),
    'refresh.wait': probe.marker('refresh.wait', { group: 'display', kind: 'wait:refresh' }),
    'lantern.find': probe.marker('lantern.find', { group: 'moths', tags: ['search'] }),
    'tally.text': probe.marker('tally.text', { group: 'tally', watches: [watches.tally] }),
  }
  for (const [group, names] of Object.entries(GROUPS)) {
    for (const name of names) markers[name] = probe.marker(name, { group })
  }
  return markers as Markers
}

export interface Gauges {
  letters: GaugeId
  carried: GaugeId
  moths: GaugeId
  deadLetters: GaugeId
  lanterns: GaugeId
}

export const declareGauges = (probe: Probe): Gauges => ({
  letters: probe.gaugeId('letters'),
  carried: probe.gaugeId('letters carried'),
  moths: probe.gaugeId('moths flying'),
  deadLetters: probe.gaugeId('dead letters'),
  lanterns: probe.gaugeId('lanterns'),
})

export interface Classes {
  letter: ClassId
  deadLetter: ClassId
  moth: ClassId
}

export const declareClasses = (probe: Probe): Classes => ({
  letter: probe.classId('letter'),
  deadLetter: probe.classId('dead letter'),
  moth: probe.classId('moth'),
})
