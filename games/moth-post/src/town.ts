import type { Random } from './random.ts'

/** Side of the square town, in paces. */
export const TOWN = 512
/** Streets form a grid of this many crossings a side. */
export const STREETS = 32
export const DISTRICTS = 8
/** The most boats that are ever on the river, and how long it takes them to come and go. */
const BOATS = 160
const TIDE_S = 8
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
  /** Lanterns of the boats on the river, which draw no moth: they are too far. */
  boats: Lantern[]
  /** How many of the boats are out. */
  boatsOut: number
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
  const boats = Array.from({ length: BOATS }, (_, i): Lantern => ({
    id: count + i,
    name: `boat ${i} on the river`,
    x: TOWN * 2 + i,
    y: (i * 7) % TOWN,
    district: DISTRICTS - 1,
    glow: 1,
    phase: 0,
  }))
  return { lanterns, boats, boatsOut: 0, buckets, streets }
}

/** The lantern of that name, found by looking at one after the other. */
export function lanternNamed(town: Town, name: string): Lantern | null {
  // Names are compared as people write them, not letter by letter.
  let found: Lantern | null = null
  for (const lantern of town.lanterns) if (lantern.name.localeCompare(name) === 0) found = lantern
  return found
}

const cellOf = (pace: number) => Math.min(BUCKETS - 1, Math.max(0, Math.floor(pace / BUCKET)))
const bucketOf = (x: number, y: number) => cellOf(y) * BUCKETS + cellOf(x)

/** How strongly a lantern draws a moth at this place: bright and near is strong. */
function pull(lantern: Lantern, x: number, y: number): number {
  const dx = lantern.x - x
  const dy = lantern.y - y
  const distance = Math.sqrt(dx * dx + dy * dy)
  // Light comes better through the haze of the river, which lies in the west.
  const haze = 1 + 0.2 * Math.cos(Math.atan2(dy, dx))
  return lantern.glow * haze * Math.exp(-distance / 48)
}

/** A lantern beyond this many paces never draws a moth. */
const REACH = 2 * BUCKET

/** Boats come and go with the tide, so that there are now more lanterns, now fewer. */
export function moveBoats(town: Town, timeS: number): void {
  town.boatsOut = Math.round(BOATS * (0.5 - 0.5 * Math.cos((2 * Math.PI * timeS) / TIDE_S)))
}

/** Every lantern is measured, those on the river too: the costly way. */
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
  for (let boat = 0; boat < town.boatsOut; boat++) {
    const lantern = town.boats[boat]!
    const strength = pull(lantern, x, y)
    if (strength > bestPull && Math.abs(lantern.x - x) <= REACH) {
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
