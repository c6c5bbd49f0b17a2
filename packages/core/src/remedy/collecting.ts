/** When collections would have come with other allocations. */
import type { Collection } from '../detect/index.ts'
import { median } from '../stats/index.ts'

export interface Collected {
  /** Pauses by frame, ns. */
  pauseNs: Float64Array
  count: number
}

/**
 * A collection of a kind comes when as much has been allocated as was between the recorded ones of that kind, one
 * after the other; it takes as long as the recorded one did. What survived one lay in the way of what was allocated
 * next: where that is no longer made anew, there is so much more room until the following one.
 * @param allocated bytes by frame, as recorded
 * @param extra bytes more or less
 * @param carried bytes alive by frame that are no longer made anew
 */
export function retime(
  kinds: readonly Collection[][],
  allocated: Float64Array,
  extra: Float64Array,
  carried: Float64Array,
): Collected {
  const pauseNs = new Float64Array(allocated.length)
  let count = 0
  for (const collections of kinds) {
    const between = bytesBetween(collections, allocated, extra, carried)
    const usual = between.length === 0 ? Infinity : median(between)
    let next = 0
    let sum = 0
    for (let frame = 0; frame < allocated.length; frame++) {
      sum += Math.max(0, allocated[frame]! + extra[frame]!)
      if (sum < (between[next] ?? usual) || sum === 0) continue
      // Beyond the recorded ones they come at the usual rate, and take as long as the last ones did.
      const like = collections[Math.min(next, collections.length - 1)]!
      pauseNs[frame]! += like.pauseNs
      count += like.count
      next++
      sum = 0
    }
  }
  return { pauseNs, count }
}

/** Bytes that may be allocated up to and with the frame of each collection, since the one before. */
function bytesBetween(
  collections: readonly Collection[],
  allocated: Float64Array,
  extra: Float64Array,
  carried: Float64Array,
): number[] {
  const between: number[] = []
  let sum = 0
  let saved = 0
  let room = 0
  for (let frame = 0; frame < allocated.length && between.length < collections.length; frame++) {
    sum += allocated[frame]!
    saved -= Math.min(0, extra[frame]!)
    if (collections[between.length]!.frame !== frame) continue
    between.push(sum + room)
    // Of what was saved since the last one, what is alive now would have been carried along.
    room = Math.min(carried[frame]!, saved)
    sum = 0
    saved = 0
  }
  return between
}

/** As recorded. */
export function asRecorded(kinds: readonly Collection[][], frames: number): Collected {
  const pauseNs = new Float64Array(frames)
  let count = 0
  for (const collections of kinds) {
    for (const one of collections) {
      pauseNs[one.frame]! += one.pauseNs
      count += one.count
    }
  }
  return { pauseNs, count }
}
