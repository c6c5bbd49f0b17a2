import { lettersInHouse, type World } from '../world.ts'

const BOARD_EVERY = 6

/** The tally board shows what the night has brought so far. */
export function updateTally(world: World): void {
  const { probe, markers, gauges } = world
  probe.enter(markers['tally.update'])
  probe.enter(markers['tally.count'])
  const inHouse = lettersInHouse(world)
  const carried = world.moths.reduce((count, moth) => count + (moth.carrying === null ? 0 : 1), 0)
  probe.leave()
  probe.gauge(gauges.letters, inHouse)
  probe.gauge(gauges.carried, carried)
  if (world.step % BOARD_EVERY === 0) {
    probe.enter(markers['tally.text'])
    world.tallyLines = [
      `delivered ${world.delivered.toLocaleString('en')}`,
      `in house ${inHouse}, in the air ${carried}`,
      ...Array.from(world.binCounts, (count, bin) => `bin ${bin + 1}: ${count}`),
    ]
    probe.leave()
  }
  probe.leave()
}
