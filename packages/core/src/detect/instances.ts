/** How many of a class there are, frame by frame. */
import { sum } from '../stats/index.ts'
import { frameCount, type Study } from '../study/index.ts'

export interface InstanceSeries {
  class: number
  name: string
  /** Instances alive, as far as the take tells: relative to its start where only births and deaths are told. */
  alive: Float64Array
  /** Whether `alive` counts from an unknown number at the take's start. */
  relative: boolean
  born: number
  died: number
  /** Bytes of those born, as far as the game says. */
  bytes: number
}

export function instancesOf(study: Study): InstanceSeries[] {
  return [...study.declarations.classes.values()].flatMap(({ id, name }) => {
    const life = study.lives.get(id)
    const updaters = study.updaters.get(id)
    if (life === undefined && updaters === undefined) return []
    return {
      class: id,
      name,
      alive: updaters?.instances ?? aliveSince(life!, frameCount(study)),
      relative: updaters === undefined,
      born: sum(life?.born),
      died: sum(life?.died),
      bytes: sum(life?.bytes),
    }
  })
}

/** Births less deaths; lifted so that it is never below 0: those that die were there before. */
function aliveSince({ born, died }: { born: Float64Array; died: Float64Array }, count: number): Float64Array {
  const alive = new Float64Array(count)
  let now = 0
  let least = 0
  for (let frame = 0; frame < count; frame++) {
    now += born[frame]! - died[frame]!
    least = Math.min(least, now)
    alive[frame] = now
  }
  return least < 0 ? alive.map((value) => value - least) : alive
}
