import type { Probe } from '@lapsus/probe'
import type { Letter } from '../letter.ts'
import type { World } from '../world.ts'

/** Dead letters are returned to their sender after so many steps. */
const RETURN_AFTER = 30
/** One letter in so many has an address nobody knows. */
const ONE_IN = 25

export const isDead = (letter: Letter): boolean => letter.id % ONE_IN === ONE_IN - 1

export function putAside(world: World, letter: Letter): void {
  world.probe.born(world.classes.deadLetter)
  world.deadLetters.push({ letter, sinceStep: world.step })
}

export const lookThroughDeadMarkers = (probe: Probe) => ({
  'dead.look': probe.marker('dead.look', { group: 'mail' }),
})

/** Looks through the letters nobody takes. */
export function lookThroughDead(world: World): void {
  const { probe, markers, deadLetters, step } = world
  const keepAll = world.settings.flaws.has('dead-letters')
  probe.enter(markers['dead.look'])
  for (const { letter, sinceStep } of deadLetters) {
    // The paper is searched for a sender's mark.
    let mark = 0
    for (let i = 0; i < letter.stamp.length; i++) mark = (mark * 31 + letter.stamp[i]!) % 65_521
    if (step - sinceStep === RETURN_AFTER)
      world.deadAccount = (world.deadAccount + mark + letter.id) % 1_000_003
  }
  if (!keepAll) {
    while (deadLetters.length > 0 && step - deadLetters[0]!.sinceStep >= RETURN_AFTER) {
      world.source.give(deadLetters.shift()!.letter)
      probe.died(world.classes.deadLetter)
    }
  }
  probe.leave()
  probe.gauge(world.gauges.deadLetters, deadLetters.length)
}
