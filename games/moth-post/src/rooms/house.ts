import type { World } from '../world.ts'

const EVERY_STEPS = 60

/** Chores, each once a second and half a second apart. */
export function keepHouse(world: World): void {
  const { probe, markers } = world
  probe.enter(markers['house.keep'])
  if (world.step % EVERY_STEPS === 10) {
    probe.enter(markers['dust.sweep'])
    for (let i = 0; i < world.dust.length; i++)
      world.dust[i] = (world.dust[i]! + Math.sin(i + world.step)) * 0.5
    probe.leave()
  }
  if (world.step % EVERY_STEPS === 40) {
    probe.enter(markers['audit.count'])
    world.audit = world.book.reduce((sum, entry) => (sum + entry.seal) | 0, 0)
    probe.leave()
  }
  probe.leave()
}
