import type { Probe } from '@lapsus/probe'
import { sealOf } from '../letter.ts'
import { SHIFT_S, STEP_S } from '../settings.ts'
import type { World } from '../world.ts'

/** The book keeps this many of the latest deliveries. */
const BOOK = 2400

export const checkShiftMarkers = (probe: Probe) => ({
  'shift.check': probe.marker('shift.check', { group: 'shift' }),
  'shift.bell': probe.marker('shift.bell', { group: 'shift' }),
})

/** Rings the shift bell when it is time, and calls the roll. */
export function checkShift(world: World): void {
  const { probe, markers } = world
  probe.enter(markers['shift.check'])
  if (world.step === world.nextBellStep) {
    world.nextBellStep += Math.round(SHIFT_S / STEP_S)
    world.shift++
    probe.moment('shift-bell', { shift: world.shift })
    probe.enter(markers['shift.bell'])
    callRoll(world)
    if (world.book.length > BOOK) world.book.splice(0, world.book.length - BOOK)
    probe.leave()
  }
  probe.leave()
}

export const callRollMarkers = (probe: Probe) => ({
  'roll.call': probe.marker('roll.call', { group: 'shift' }),
  'roll.names': probe.marker('roll.names', { group: 'shift' }),
  'roll.letters': probe.marker('roll.letters', { group: 'shift' }),
  'roll.seals': probe.marker('roll.seals', { group: 'shift' }),
})

/** Every moth must be in the book with whole deliveries, and no letter twice. */
function callRoll(world: World): void {
  const { probe, markers } = world
  const nested = world.settings.flaws.has('roll-call-nested')
  probe.enter(markers['roll.call'])
  probe.run(markers['roll.names'], () => {
    world.discrepancies += nested ? absentNested(world) : absentIndexed(world)
  })
  probe.run(markers['roll.letters'], () => {
    world.discrepancies += nested ? doublesNested(world) : doublesIndexed(world)
  })
  probe.run(markers['roll.seals'], () => {
    for (const entry of world.book)
      if (entry.seal !== sealOf(entry.address, entry.letter)) world.discrepancies++
  })
  probe.leave()
}

/** Deliveries by someone who is not on the roll: every entry against every moth. */
function absentNested(world: World): number {
  let strangers = 0
  for (const entry of world.book) {
    let known = false
    for (const moth of world.moths) if (moth.name === entry.carrier) known = true
    if (!known) strangers++
  }
  return strangers
}

function absentIndexed(world: World): number {
  const names = new Set(world.moths.map((moth) => moth.name))
  return world.book.reduce((strangers, entry) => strangers + (names.has(entry.carrier) ? 0 : 1), 0)
}

/** Letters entered twice: every entry against every other. */
function doublesNested(world: World): number {
  const { book } = world
  let doubles = 0
  for (const first of book) {
    for (const second of book) {
      if (first !== second && first.letter === second.letter && first.address === second.address) doubles++
    }
  }
  return doubles / 2
}

function doublesIndexed(world: World): number {
  const seen = new Map<number, number>()
  let doubles = 0
  for (const { letter } of world.book) {
    const times = seen.get(letter) ?? 0
    doubles += times
    seen.set(letter, times + 1)
  }
  return doubles
}
