import { pressStamp } from '../letter.ts'
import type { World } from '../world.ts'

const BELT_PACES = 120
const BELT_SPEED = 2

/** The belts move on; letters at their end are stamped. */
export function stepBelts(world: World): void {
  const { probe, markers } = world
  probe.enter(markers['belts.step'])
  for (const belt of world.belts) {
    probe.enter(markers['belt.move'])
    let ahead = Infinity
    for (const letter of belt) {
      letter.place = Math.min(letter.place + BELT_SPEED, ahead - 1, BELT_PACES)
      ahead = letter.place
    }
    probe.leave()
    if (belt.length > 0 && belt[0]!.place >= BELT_PACES) {
      probe.enter(markers['belt.handOver'])
      world.stamped.push(belt.shift()!)
      probe.leave()
    }
  }
  stamp(world)
  probe.leave()
}

function stamp(world: World): void {
  const { probe, markers } = world
  if (world.stamped.length === 0) return
  probe.enter(markers['stamp.station'])
  for (const letter of world.stamped) {
    probe.enter(markers['stamp.press'])
    pressStamp(letter)
    probe.leave()
    probe.enter(markers['stamp.dry'])
    let ink = 0
    for (let i = 0; i < letter.stamp.length; i++) ink += letter.stamp[i]!
    letter.weight += ink % 2
    probe.leave()
  }
  probe.leave()
}
