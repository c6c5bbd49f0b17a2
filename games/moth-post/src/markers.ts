import type { ClassId, GaugeId, Probe, WatchId } from '@lapsus/probe'
import { beatWingsMarkers } from './rooms/beat-wings.ts'
import { stepBeltsMarkers, applyRulesMarkers, isCrowdedMarkers, stampMarkers } from './rooms/belts.ts'
import { drawBoardMarkers } from './rooms/board.ts'
import { dispatchMarkers, bestCarrierMarkers } from './rooms/couriers.ts'
import { lookThroughDeadMarkers } from './rooms/dead-letters.ts'
import { checkGatesMarkers } from './rooms/gates.ts'
import { keepHouseMarkers } from './rooms/house.ts'
import { flickerMarkers } from './rooms/lanterns.ts'
import { arriveMarkers, deliverMarkers } from './rooms/mail.ts'
import { turnGearsMarkers } from './rooms/mechanics.ts'
import { updateMothsMarkers, targetOfMarkers, seekMarkers } from './rooms/moths.ts'
import { checkShiftMarkers, callRollMarkers } from './rooms/night-shift.ts'
import { sortLettersMarkers } from './rooms/sorting.ts'
import { updateTallyMarkers } from './rooms/tally.ts'
import { startWindMarkers, applyWindMarkers } from './rooms/weather.ts'

/** Each room declares its own beside the code that enters them, so that a finding leads there. */
export const declareMarkers = (probe: Probe, watches: { tally: WatchId }) => ({
  'input.read': probe.marker('input.read', { group: 'simulation' }),
  'sim.step': probe.marker('sim.step', { group: 'simulation' }),
  'routes.job': probe.marker('routes.job', { group: 'couriers' }),
  'routes.join': probe.marker('routes.join', { group: 'couriers', kind: 'wait:job' }),
  'archive.wait': probe.marker('archive.wait', { group: 'house', kind: 'wait:io' }),
  'graphics.wait': probe.marker('graphics.wait', { group: 'display', kind: 'wait:graphics' }),
  'refresh.wait': probe.marker('refresh.wait', { group: 'display', kind: 'wait:refresh' }),
  'tally.text': probe.marker('tally.text', { group: 'tally', watches: [watches.tally] }),
  ...beatWingsMarkers(probe),
  ...stepBeltsMarkers(probe),
  ...applyRulesMarkers(probe),
  ...isCrowdedMarkers(probe),
  ...stampMarkers(probe),
  ...drawBoardMarkers(probe),
  ...dispatchMarkers(probe),
  ...bestCarrierMarkers(probe),
  ...lookThroughDeadMarkers(probe),
  ...checkGatesMarkers(probe),
  ...keepHouseMarkers(probe),
  ...flickerMarkers(probe),
  ...arriveMarkers(probe),
  ...deliverMarkers(probe),
  ...turnGearsMarkers(probe),
  ...updateMothsMarkers(probe),
  ...targetOfMarkers(probe),
  ...seekMarkers(probe),
  ...checkShiftMarkers(probe),
  ...callRollMarkers(probe),
  ...sortLettersMarkers(probe),
  ...updateTallyMarkers(probe),
  ...startWindMarkers(probe),
  ...applyWindMarkers(probe),
})

/** The handle of every marker of the game, by name. */
export type Markers = ReturnType<typeof declareMarkers>

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
