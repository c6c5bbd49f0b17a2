import { STEP_S } from '../settings.ts'
import { strongestNearby, strongestOfAll, TOWN, type Lantern } from '../town.ts'
import type { Moth, World } from '../world.ts'
import { windAt } from './weather.ts'

const SPEED = 90
const FLOCK_EVERY = 8

/** Every moth flies on: drawn by light, pushed by wind, bound for its address if it has one. */
export function updateMoths(world: World): void {
  const { probe, markers } = world
  probe.enter(markers['moths.update'])
  for (const moth of world.moths) {
    probe.enter(markers['moth.update'])
    const lantern = seek(world, moth)
    probe.enter(markers['moth.steer'])
    steer(world, moth, lantern)
    probe.leave()
    probe.leave()
  }
  probe.leave()
}

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

function steer(world: World, moth: Moth, light: Lantern | null): void {
  const goal = moth.target ?? light
  const wind = windAt(world, moth.x, moth.y)
  let ax = wind * 12
  let ay = -wind * 7
  if (goal !== null) {
    const distance = Math.hypot(goal.x - moth.x, goal.y - moth.y) + 1
    ax += ((goal.x - moth.x) / distance) * SPEED
    ay += ((goal.y - moth.y) / distance) * SPEED
  }
  for (let other = moth.id % FLOCK_EVERY; other < world.moths.length; other += FLOCK_EVERY) {
    const near = world.moths[other]!
    const dx = moth.x - near.x
    const dy = moth.y - near.y
    const squared = dx * dx + dy * dy
    if (squared > 0 && squared < 64) {
      ax += dx / squared
      ay += dy / squared
    }
  }
  moth.vx += (ax - moth.vx) * 0.2
  moth.vy += (ay - moth.vy) * 0.2
  moth.x = Math.min(TOWN - 1, Math.max(0, moth.x + moth.vx * STEP_S))
  moth.y = Math.min(TOWN - 1, Math.max(0, moth.y + moth.vy * STEP_S))
}
