import type { Probe } from '@lapsus/probe'
import { addressLetter } from '../letter.ts'
import { loadAt, STEP_S } from '../settings.ts'
import { BELTS } from '../settings.ts'
import type { Moth, World } from '../world.ts'

export const arriveMarkers = (probe: Probe) => ({
  'mail.arrive': probe.marker('mail.arrive', { group: 'mail' }),
  'letter.admit': probe.marker('letter.admit', { group: 'mail' }),
  'letter.address': probe.marker('letter.address', { group: 'mail' }),
})

/** Letters come in from the street and go onto the belts. */
export function arrive(world: World): void {
  const { probe, markers } = world
  probe.enter(markers['mail.arrive'])
  world.arriving += world.settings.letters * loadAt(world.settings, world.step * STEP_S) * STEP_S
  while (world.arriving >= 1) {
    world.arriving--
    probe.enter(markers['letter.admit'])
    const letter = world.source.take()
    probe.enter(markers['letter.address'])
    addressLetter(letter, world.lettersMade++, world.settings.lanterns, world.random)
    probe.leave()
    world.belts[letter.id % BELTS]!.push(letter)
    probe.leave()
  }
  probe.leave()
}

export const deliverMarkers = (probe: Probe) => ({
  'letters.deliver': probe.marker('letters.deliver', { group: 'mail' }),
  'letter.retire': probe.marker('letter.retire', { group: 'mail' }),
})

/** Letters that reached their lantern are entered in the book and leave the house. */
export function deliver(world: World): void {
  const { probe, markers } = world
  probe.enter(markers['letters.deliver'])
  for (const moth of world.moths) {
    const { carrying, target } = moth
    if (carrying === null || target === null) continue
    if (Math.hypot(target.x - moth.x, target.y - moth.y) > 6) continue
    probe.enter(markers['letter.retire'])
    world.book.push({
      letter: carrying.id,
      carrier: moth.name,
      address: carrying.address,
      seal: carrying.seal,
    })
    world.delivered++
    moth.carrying = null
    moth.target = null
    if (world.random() < ROOST_SHARE) roost(world, moth)
    world.source.give(carrying)
    probe.leave()
  }
  probe.leave()
}

/** After a delivery some moths roost for a while. */
const ROOST_SHARE = 0.5
const SHORTEST_ROOST = 60
const LONGEST_ROOST = 480

function roost(world: World, moth: Moth): void {
  moth.roostsUntil =
    world.step + SHORTEST_ROOST + Math.floor(world.random() * (LONGEST_ROOST - SHORTEST_ROOST))
  moth.updater.idle('asleep', true)
}
