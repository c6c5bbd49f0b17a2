import type { Probe } from '@lapsus/probe'
import { loadAt, STEP_S } from '../settings.ts'
import { lanternNamed, strongestNearby, strongestOfAll, TOWN, type Lantern } from '../town.ts'
import type { Moth, World } from '../world.ts'
import { windAt } from './weather.ts'

const SPEED = 260
const FLOCK_EVERY = 8

export const updateMothsMarkers = (probe: Probe) => ({
  'moths.update': probe.marker('moths.update', { group: 'moths' }),
  'moth.update': probe.marker('moth.update', { group: 'moths' }),
  'moth.steer': probe.marker('moth.steer', { group: 'moths' }),
})

/** Every moth flies on: drawn by light, pushed by wind, bound for its address if it has one. */
export function updateMoths(world: World): void {
  const { probe, markers } = world
  const awake = world.settings.flaws.has('roost-awake')
  const onDuty = Math.ceil(world.moths.length * loadAt(world.settings, world.step * STEP_S))
  let flying = 0
  probe.enter(markers['moths.update'])
  for (const moth of world.moths) {
    if (moth.id >= onDuty) continue
    const roosts = moth.roostsUntil > world.step
    if (moth.roostsUntil === world.step) moth.updater.idle('asleep', false)
    if (!awake) moth.updater.enable(!roosts)
    if (!roosts) flying++
    if (roosts && !awake) continue
    probe.enter(markers['moth.update'])
    const lantern = seek(world, moth)
    probe.enter(markers['moth.steer'])
    steer(world, moth, lantern, roosts)
    probe.leave()
    // A roosting moth has looked and reckoned like the others, and stays where it is.
    probe.leave(!roosts)
  }
  probe.leave()
  probe.gauge(world.gauges.moths, flying)
}

export const targetOfMarkers = (probe: Probe) => ({
  'lantern.find': probe.marker('lantern.find', { group: 'moths', tags: ['search'] }),
})

/** The lantern a moth is bound for. */
function targetOf(world: World, moth: Moth): Lantern | null {
  if (moth.target === null || !world.settings.flaws.has('name-search')) return moth.target
  const { probe, markers } = world
  probe.enter(markers['lantern.find'])
  const found = lanternNamed(world.town, moth.targetName)
  probe.leave()
  return found
}

export const seekMarkers = (probe: Probe) => ({
  'moth.seek': probe.marker('moth.seek', { group: 'moths' }),
  'lantern.measure': probe.marker('lantern.measure', { group: 'moths' }),
})

function seek(world: World, moth: Moth): Lantern | null {
  const { probe, markers, town } = world
  probe.enter(markers['moth.seek'])
  probe.enter(markers['lantern.measure'])
  const lantern = world.settings.flaws.has('lantern-all-pairs')
    ? strongestOfAll(town, moth.x, moth.y)
    : strongestNearby(town, moth.x, moth.y)
  probe.leave()
  probe.leave()
  return lantern
}

interface Vector {
  x: number
  y: number
}

/** Scratch of the steering, used again for each moth. */
const pushX = new Float64Array(512)
const pushY = new Float64Array(512)

function steer(world: World, moth: Moth, light: Lantern | null, roosts: boolean): void {
  const goal = targetOf(world, moth) ?? light
  const wind = windAt(world, moth.x, moth.y)
  let ax = wind * 12
  let ay = -wind * 7
  if (goal !== null) {
    const distance = Math.hypot(goal.x - moth.x, goal.y - moth.y) + 1
    ax += ((goal.x - moth.x) / distance) * SPEED
    ay += ((goal.y - moth.y) / distance) * SPEED
  }
  if (world.settings.flaws.has('vector-churn')) {
    for (const push of pushVectors(world, moth)) {
      ax += push.x
      ay += push.y
    }
  } else {
    const pushes = pushScratch(world, moth)
    for (let i = 0; i < pushes; i++) {
      ax += pushX[i]!
      ay += pushY[i]!
    }
  }
  if (roosts) return
  moth.vx += (ax - moth.vx) * 0.2
  moth.vy += (ay - moth.vy) * 0.2
  moth.x = Math.min(TOWN - 1, Math.max(0, moth.x + moth.vx * STEP_S))
  moth.y = Math.min(TOWN - 1, Math.max(0, moth.y + moth.vy * STEP_S))
}

/** A vector for every neighbour, near or not: the costly way. */
function pushVectors(world: World, moth: Moth): Vector[] {
  const vectors: Vector[] = []
  for (let other = moth.id % FLOCK_EVERY; other < world.moths.length; other += FLOCK_EVERY) {
    const near = world.moths[other]!
    const apart: Vector = { x: moth.x - near.x, y: moth.y - near.y }
    const squared = apart.x * apart.x + apart.y * apart.y
    const push = squared > 0 && squared < 64
    vectors.push(push ? { x: apart.x / squared, y: apart.y / squared } : { x: 0, y: 0 })
  }
  return vectors
}

/** The same pushes in scratch memory. @returns how many there are */
function pushScratch(world: World, moth: Moth): number {
  let count = 0
  for (let other = moth.id % FLOCK_EVERY; other < world.moths.length; other += FLOCK_EVERY) {
    const near = world.moths[other]!
    const dx = moth.x - near.x
    const dy = moth.y - near.y
    const squared = dx * dx + dy * dy
    if (squared <= 0 || squared >= 64 || count >= pushX.length) continue
    pushX[count] = dx / squared
    pushY[count++] = dy / squared
  }
  return count
}
