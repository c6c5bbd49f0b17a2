import type { Probe } from '@lapsus/probe'
import { beatPacked } from '../wings.ts'
import type { World } from '../world.ts'

export const beatWingsMarkers = (probe: Probe) => ({
  'wings.beat': probe.marker('wings.beat', { group: 'moths' }),
  'wing.beat': probe.marker('wing.beat', { group: 'moths' }),
})

/** Every scale of every wing moves on. */
export function beatWings(world: World): void {
  const { probe, markers, wings } = world
  probe.enter(markers['wings.beat'])
  if (world.settings.flaws.has('moth-objects')) {
    for (const scales of wings.objects) {
      probe.enter(markers['wing.beat'])
      for (const scale of scales) scale.beat()
      probe.leave()
    }
  } else {
    beatPacked(wings)
  }
  probe.leave()
}
