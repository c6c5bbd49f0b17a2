/** A repeatable source of numbers from 0 to below 1 (mulberry32). */
export type Random = () => number

export function randomFrom(seed: number): Random {
  let state = seed >>> 0
  return () => {
    state = (state + 0x6d2b79f5) >>> 0
    let mixed = Math.imul(state ^ (state >>> 15), state | 1)
    mixed ^= mixed + Math.imul(mixed ^ (mixed >>> 7), mixed | 61)
    return ((mixed ^ (mixed >>> 14)) >>> 0) / 0x1_0000_0000
  }
}

/** FNV-1a over whole numbers: tells whether two states are the same. */
export function fingerprint(values: Iterable<number>): string {
  let hash = 0x811c9dc5
  for (const value of values) {
    hash ^= value | 0
    hash = Math.imul(hash, 0x01000193) >>> 0
  }
  return hash.toString(16).padStart(8, '0')
}
