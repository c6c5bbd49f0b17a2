import type { Probe } from '@lapsus/probe'
import { isDead, putAside } from './dead-letters.ts'
import { BINS } from '../settings.ts'
import type { World } from '../world.ts'

export const sortLettersMarkers = (probe: Probe) => ({
  'sort.pass': probe.marker('sort.pass', { group: 'sorting' }),
  'sort.weigh': probe.marker('sort.weigh', { group: 'sorting' }),
  'sort.bin': probe.marker('sort.bin', { group: 'sorting' }),
})

/** Stamped letters are weighed and thrown into the bin of their district. */
export function sortLetters(world: World): void {
  const { probe, markers } = world
  probe.enter(markers['sort.pass'])
  for (const letter of world.stamped) {
    probe.enter(markers['sort.weigh'])
    let weight = 0
    for (const sheet of letter.sheets) weight += sheet.weight * sheet.lines.length
    probe.leave()
    if (isDead(letter)) {
      putAside(world, letter)
      continue
    }
    probe.enter(markers['sort.bin'])
    const bin = letter.to % BINS
    world.bins[bin]!.push(letter)
    world.binCounts[bin]! += weight
    probe.leave()
  }
  world.stamped.length = 0
  probe.leave()
}
