import type { Random } from './random.ts'

/** Side of the square town, in paces. */
export const TOWN = 512
/** Streets form a grid of this many crossings a side. */
export const STREETS = 32
export const DISTRICTS = 8
/** Side of a lantern bucket, in paces. */
const BUCKET = 32
const BUCKETS = TOWN / BUCKET

export interface Lantern {
  id: number
  name: string
  x: number
  y: number
  district: number
  glow: number
  phase: number
}

export interface Town {
  lanterns: Lantern[]
  /** Lanterns by square of 32 × 32 paces, row by row. */
  buckets: Lantern[][]
  /** Cost of each street crossing, row by row. */
  streets: Float32Array
}

export function buildTown(count: number, random: Random): Town {
  const lanterns = Array.from({ length: count }, (_, id): Lantern => {
    const x = random() * TOWN
    const y = random() * TOWN
    const name = `lantern ${id} in the ${id % 2 === 0 ? 'upper' : 'lower'} town`
    return {
      id,
      name,
      x,
      y,
      district: Math.floor((x / TOWN) * DISTRICTS),
      glow: 1,
      phase: random() * Math.PI * 2,
    }
  })
  const buckets: Lantern[][] = Array.from({ length: BUCKETS * BUCKETS }, () => [])
  for (const lantern of lanterns) buckets[bucketOf(lantern.x, lantern.y)]!.push(lantern)
  const streets = Float32Array.from({ length: STREETS * STREETS }, () => 1 + Math.floor(random() * 4))
  return { lanterns, buckets, streets }
}

/** The lantern of that name, found by looking at one after the other. */
export function lanternNamed(town: Town, name: string): Lantern | null {
  for (const lantern of town.lanterns) if (lantern.name === name) return lantern
  return null
}

const cellOf = (pace: number) => Math.min(BUCKETS - 1, Math.max(0, Math.floor(pace / BUCKET)))
const bucketOf = (x: number, y: number) => cellOf(y) * BUCKETS + cellOf(x)

/** How strongly a lantern draws a moth at this place: bright and near is strong. */
function pull(lantern: Lantern, x: number, y: number): number {
  const distance = Math.hypot(lantern.x - x, lantern.y - y)
  return lantern.glow * Math.exp(-distance / 48)
}

/** A lantern beyond this many paces never draws a moth. */
const REACH = 2 * BUCKET

/** Every lantern is measured: the costly way. */
export function strongestOfAll(town: Town, x: number, y: number): Lantern | null {
  let best: Lantern | null = null
  let bestPull = 0
  for (const lantern of town.lanterns) {
    const strength = pull(lantern, x, y)
    if (strength > bestPull && Math.abs(lantern.x - x) <= REACH && Math.abs(lantern.y - y) <= REACH) {
      best = lantern
      bestPull = strength
    }
  }
  return best
}

/** Only the lanterns in the buckets within reach are measured. */
export function strongestNearby(town: Town, x: number, y: number): Lantern | null {
  let best: Lantern | null = null
  let bestPull = 0
  for (let row = cellOf(y - REACH); row <= cellOf(y + REACH); row++) {
    for (let column = cellOf(x - REACH); column <= cellOf(x + REACH); column++) {
      for (const lantern of town.buckets[row * BUCKETS + column]!) {
        if (Math.abs(lantern.x - x) > REACH || Math.abs(lantern.y - y) > REACH) continue
        const strength = pull(lantern, x, y)
        if (strength > bestPull || (strength === bestPull && best !== null && lantern.id < best.id)) {
          best = lantern
          bestPull = strength
        }
      }
    }
  }
  return best
}
