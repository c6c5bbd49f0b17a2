import type { Probe } from '@lapsus/probe'
import { pressStamp } from '../letter.ts'
import type { World } from '../world.ts'

const BELT_PACES = 120
const BELT_SPEED = 2
/** Of the threads of an envelope one in so many is felt. */
const FELT = 8

export const stepBeltsMarkers = (probe: Probe) => ({
  'belts.step': probe.marker('belts.step', { group: 'belts' }),
  'belt.move': probe.marker('belt.move', { group: 'belts' }),
  'belt.handOver': probe.marker('belt.handOver', { group: 'belts' }),
})

/** The belts move on; letters at their end are stamped. */
export function stepBelts(world: World): void {
  const { probe, markers } = world
  probe.enter(markers['belts.step'])
  applyRules(world)
  for (const belt of world.belts) {
    probe.enter(markers['belt.move'])
    let ahead = Infinity
    for (const letter of belt) {
      letter.place = Math.min(letter.place + BELT_SPEED, ahead - 1, BELT_PACES)
      ahead = letter.place
    }
    probe.leave()
    if (belt.length > 0 && belt[0]!.place >= BELT_PACES) {
      probe.enter(markers['belt.handOver'])
      world.stamped.push(belt.shift()!)
      probe.leave()
    }
  }
  stamp(world)
  probe.leave()
}

/** What each rule of the house does with a belt that is crowded. */
const RULES: ((world: World, belt: number) => void)[] = [
  (world, belt) => (world.belts[belt]!.at(-1)!.weight += 1),
  (world, belt) => (world.belts[belt]!.at(-1)!.weight -= 1),
  (world, belt) => (world.beltCrowding += belt),
  (world) => (world.beltCrowding %= 9_973),
]

export const applyRulesMarkers = (probe: Probe) => ({
  'belt.rules': probe.marker('belt.rules', { group: 'belts' }),
})

/** Four rules ask of every belt whether it is crowded. */
function applyRules(world: World): void {
  const { probe, markers } = world
  probe.enter(markers['belt.rules'])
  if (world.settings.flaws.has('belt-retest')) {
    for (const rule of RULES) {
      for (let belt = 0; belt < world.belts.length; belt++) if (isCrowded(world, belt)) rule(world, belt)
    }
  } else {
    const crowded = world.belts.map((_, belt) => isCrowded(world, belt))
    for (const rule of RULES) crowded.forEach((is, belt) => is && rule(world, belt))
  }
  probe.leave()
}

export const isCrowdedMarkers = (probe: Probe) => ({
  'belt.test': probe.marker('belt.test', { group: 'belts' }),
})

/** Whether the letters on a belt lie close: every one is measured against every other. */
function isCrowded(world: World, belt: number): boolean {
  const { probe, markers } = world
  probe.enter(markers['belt.test'], belt + 1)
  let close = 0
  const letters = world.belts[belt]!
  for (const one of letters) {
    for (const other of letters) if (one !== other && Math.abs(one.place - other.place) < 6) close++
    // Limp paper does not crowd: the envelope is felt along its threads.
    let firmness = 0
    for (let i = 0; i < one.fibres.length; i += FELT) firmness += one.fibres[i]!
    if (firmness < 1) close--
  }
  const crowded = close > letters.length
  probe.leave(crowded)
  return crowded
}

export const stampMarkers = (probe: Probe) => ({
  'stamp.station': probe.marker('stamp.station', { group: 'belts' }),
  'stamp.press': probe.marker('stamp.press', { group: 'belts' }),
  'stamp.dry': probe.marker('stamp.dry', { group: 'belts' }),
})

function stamp(world: World): void {
  const { probe, markers } = world
  if (world.stamped.length === 0) return
  probe.enter(markers['stamp.station'])
  for (const letter of world.stamped) {
    probe.enter(markers['stamp.press'])
    pressStamp(letter)
    probe.leave()
    probe.enter(markers['stamp.dry'])
    let ink = 0
    for (let i = 0; i < letter.stamp.length; i++) ink += letter.stamp[i]!
    letter.weight += ink % 2
    probe.leave()
  }
  probe.leave()
}
