/** How a pool of some size would have fared with the births and deaths of a take. */

/** What is done when the pool is empty. */
export const BEYOND = ['grow', 'make', 'refuse', 'oldest'] as const
export type Beyond = (typeof BEYOND)[number]

export interface Lives {
  born: ArrayLike<number>
  died: ArrayLike<number>
  /** Alive before the first frame, as far as the take tells. */
  atStart: number
}

export interface PoolCourse {
  /** Births of each frame that took an instance from the pool. */
  served: Float64Array
  /** Instances made in each frame. */
  made: Float64Array
  /** Births of each frame that did not come about. */
  refusedIn: Float64Array
  /** In use at the end of each frame, those made beyond the pool included. */
  live: Float64Array
  /** Instances of the pool at the end of each frame. */
  size: Float64Array
  grownFrames: number
  refused: number
  cutShort: number
}

/**
 * Frame by frame: what dies goes back to the pool, then what is born is taken from it.
 * - `grow`: as many as `growBy` are made at once, and stay in the pool
 * - `make`: one is made and thrown away when it dies; whoever is oldest dies first
 * - `refuse`: it is not born
 * - `oldest`: the oldest is taken, and ends before its time
 */
export function runPool(
  { born, died, atStart }: Lives,
  size: number,
  beyond: Beyond,
  growBy: number,
): PoolCourse {
  const count = born.length
  const course: PoolCourse = {
    served: new Float64Array(count),
    made: new Float64Array(count),
    refusedIn: new Float64Array(count),
    live: new Float64Array(count),
    size: new Float64Array(count),
    grownFrames: 0,
    refused: 0,
    cutShort: 0,
  }
  let pool = size
  let used = Math.min(pool, atStart)
  let outside = atStart - used
  /** Those alive by age, the oldest first: of the births of each frame those of the pool, and the others. */
  const agePooled = new Float64Array(count + 1)
  const ageOthers = new Float64Array(count + 1)
  agePooled[0] = used
  ageOthers[0] = outside
  let oldest = 0
  /** Deaths that will be told of though what they are about was refused, or ended before. */
  let ended = 0
  for (let frame = 0; frame < count; frame++) {
    let dying = died[frame]!
    const alreadyEnded = Math.min(ended, Math.max(0, dying - used - outside))
    ended -= alreadyEnded
    dying -= alreadyEnded
    while (dying > 0 && oldest <= frame) {
      const pooled = Math.min(agePooled[oldest]!, dying)
      const others = Math.min(ageOthers[oldest]!, dying - pooled)
      agePooled[oldest]! -= pooled
      ageOthers[oldest]! -= others
      used -= pooled
      outside -= others
      dying -= pooled + others
      if (agePooled[oldest]! + ageOthers[oldest]! === 0) oldest++
    }
    const wanted = born[frame]!
    let served = Math.min(pool - used, wanted)
    let missing = wanted - served
    if (missing > 0 && beyond === 'grow') {
      const batches = Math.ceil(missing / growBy)
      course.made[frame] = batches * growBy
      course.grownFrames++
      pool += batches * growBy
      served += missing
      missing = 0
    }
    used += served
    course.served[frame] = served
    if (missing > 0 && beyond === 'make') {
      course.made[frame] = missing
      outside += missing
    } else if (missing > 0 && beyond === 'refuse') {
      course.refused += missing
      course.refusedIn[frame] = missing
      ended += missing
    } else if (missing > 0) {
      // As many as there are can be cut short; the rest finds nothing to take.
      const cut = Math.min(missing, pool)
      course.served[frame] = served + cut
      course.cutShort += cut
      course.refused += missing - cut
      course.refusedIn[frame] = missing - cut
      ended += missing
    }
    agePooled[frame + 1] = served
    ageOthers[frame + 1] = beyond === 'make' ? missing : 0
    course.live[frame] = used + outside
    course.size[frame] = pool
  }
  return course
}

/** The most that are alive in any frame, births before that frame's deaths not undone. */
export function mostAlive(lives: Lives): number {
  const { live } = runPool(lives, 0, 'make', 1)
  return live.reduce((most, alive) => Math.max(most, alive), lives.atStart)
}

/** Share of the frames, 0 to 1, in which a pool of this size has to grow. */
const grownShare = (lives: Lives, size: number): number =>
  runPool(lives, size, 'grow', 1).grownFrames / Math.max(1, lives.born.length)

const served = (lives: Lives, size: number): number =>
  runPool(lives, size, 'make', 1).served.reduce((sum, value) => sum + value, 0)

/** A pool pays that serves this share of what one without limits would. */
const PAYS = 0.9
const RARE = 1 / 1000

export interface PoolSizes {
  never: number
  rarely: number
  pays: number
}

/** Sizes that are worth thinking of; each the smallest that does it. */
export function poolSizes(lives: Lives): PoolSizes {
  const never = Math.ceil(mostAlive(lives))
  const all = served(lives, never)
  return {
    never,
    rarely: smallest(never, (size) => grownShare(lives, size) <= RARE),
    pays: smallest(never, (size) => served(lives, size) >= PAYS * all),
  }
}

/** The smallest size that will do; larger ones do too. */
function smallest(most: number, isEnough: (size: number) => boolean): number {
  let low = 0
  let high = most
  while (low < high) {
    const half = (low + high) >> 1
    if (isEnough(half)) high = half
    else low = half + 1
  }
  return high
}
