import type { Probe } from '@lapsus/probe'
import type { World } from '../world.ts'

const EVERY_STEPS = 60
const SWEEP_AT = 10
const AUDIT_AT = 40

export const keepHouseMarkers = (probe: Probe) => ({
  'house.keep': probe.marker('house.keep', { group: 'house' }),
  'dust.sweep': probe.marker('dust.sweep', { group: 'house' }),
  'audit.count': probe.marker('audit.count', { group: 'house' }),
})

/** Chores, each once a second; half a second apart unless they are done in lock-step. */
export function keepHouse(world: World): void {
  const { probe, markers, step } = world
  const auditAt = world.settings.flaws.has('lock-step') ? SWEEP_AT : AUDIT_AT
  probe.enter(markers['house.keep'])
  if (step % EVERY_STEPS === SWEEP_AT) {
    // What is audited is the book as of now, whenever that is done.
    world.auditMark = world.book.length
    probe.enter(markers['dust.sweep'])
    for (let i = 0; i < world.dust.length; i++) world.dust[i] = (world.dust[i]! + Math.sin(i + step)) * 0.5
    probe.leave()
  }
  if (step % EVERY_STEPS === auditAt) {
    probe.enter(markers['audit.count'])
    for (let round = 1; round <= 120; round++) world.audit = auditOf(world, round)
    probe.leave()
  }
  probe.leave()
}

function auditOf({ book, auditMark }: World, round: number): number {
  let sum = 0
  for (let i = 0; i < auditMark; i++) sum = (sum + Math.imul(book[i]!.seal, round)) | 0
  return sum
}
