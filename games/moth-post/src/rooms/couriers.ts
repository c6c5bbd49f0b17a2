import type { Probe } from '@lapsus/probe'
import { walkCost } from '../streets.ts'
import { BINS } from '../settings.ts'
import type { Moth, World } from '../world.ts'

const DISPATCHES = 2
/** Moths whose way is worked out before the letter goes to the one with the shortest. */
const CANDIDATES = 3

export const dispatchMarkers = (probe: Probe) => ({
  'couriers.dispatch': probe.marker('couriers.dispatch', { group: 'couriers' }),
  'route.plan': probe.marker('route.plan', { group: 'couriers' }),
})

/** Letters in the bins are given to free moths. */
export function dispatch(world: World): void {
  const { probe, markers } = world
  probe.enter(markers['couriers.dispatch'])
  for (let i = 0; i < DISPATCHES; i++) {
    const bin = world.bins[(world.step * DISPATCHES + i) % BINS]!
    if (bin.length === 0) continue
    const letter = bin[bin.length - 1]!
    const target = world.town.lanterns[letter.to]!
    probe.enter(markers['route.plan'])
    const moth = bestCarrier(world, target.x, target.y)
    probe.leave()
    if (moth === null) continue
    bin.pop()
    moth.carrying = letter
    moth.target = target
    moth.targetName = target.name
  }
  probe.leave()
}

export const bestCarrierMarkers = (probe: Probe) => ({
  'path.search': probe.marker('path.search', { group: 'couriers' }),
})

function bestCarrier(world: World, x: number, y: number): Moth | null {
  const { probe, markers, moths } = world
  let best: Moth | null = null
  let bestCost = Infinity
  let tried = 0
  for (let i = 0; i < moths.length && tried < CANDIDATES; i++) {
    const moth = moths[(world.step * 7 + i) % moths.length]!
    if (moth.carrying !== null || moth.roostsUntil > world.step) continue
    tried++
    probe.enter(markers['path.search'])
    const cost = walkCost(world.town.streets, moth.x, moth.y, x, y)
    probe.leave()
    if (cost < bestCost) {
      best = moth
      bestCost = cost
    }
  }
  return best
}
