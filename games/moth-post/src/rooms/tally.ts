import type { Probe } from '@lapsus/probe'
import type { World } from '../world.ts'

/** The board counts in sacks of so many letters. */
const SACK = 20

export const updateTallyMarkers = (probe: Probe) => ({
  'tally.update': probe.marker('tally.update', { group: 'tally' }),
  'tally.count': probe.marker('tally.count', { group: 'tally' }),
})

/** The tally board shows what the night has brought so far. */
export function updateTally(world: World): void {
  const { probe, markers, gauges } = world
  probe.enter(markers['tally.update'])
  probe.enter(markers['tally.count'])
  const inHouse = lettersInHouse(world)
  const carried = world.moths.reduce((count, moth) => count + (moth.carrying === null ? 0 : 1), 0)
  const sacks = `${Math.floor(world.delivered / SACK)} ${world.shift}`
  probe.leave()
  probe.gauge(gauges.letters, inHouse)
  probe.gauge(gauges.carried, carried)
  probe.watch(world.tallyWatch, sacks)
  const changed = sacks !== world.tallyShown
  if (changed || world.settings.flaws.has('tally-rebuild')) {
    probe.enter(markers['tally.text'])
    world.tallyShown = sacks
    world.tallyLines = linesOf(world)
    probe.leave(changed)
  }
  probe.leave()
}

const linesOf = (world: World): string[] => [
  `sacks delivered ${Math.floor(world.delivered / SACK).toLocaleString('en')}`,
  `shift ${world.shift}`,
  ...Array.from(
    world.binCounts,
    (count, bin) => `bin ${bin + 1}: ${Math.floor(count / SACK / 100).toLocaleString('en')} hundredweight`,
  ),
  ...world.moths.map(
    ({ id, name }) =>
      `place ${(id + 1).toLocaleString('en')} of shift ${world.shift}, locker ${(1000 + id * 7).toLocaleString('en')}: ${name}`,
  ),
]

/** Letters that exist anywhere in the house or the air. */
function lettersInHouse(world: World): number {
  let count = world.stamped.length
  for (const belt of world.belts) count += belt.length
  for (const bin of world.bins) count += bin.length
  for (const moth of world.moths) if (moth.carrying !== null) count++
  return count
}
