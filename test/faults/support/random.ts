/** Chance that can be repeated. */
export interface Random {
  /** From 0 to below 1. */
  next(): number
  /** A whole number from 0 to below `end`. */
  below(end: number): number
  pick<T>(from: readonly T[]): T
  bytes(count: number): Uint8Array
}

/** mulberry32: enough for tests, the same everywhere. */
export function randomOf(seed: number): Random {
  let state = seed >>> 0
  const next = (): number => {
    state = (state + 0x6d2b79f5) >>> 0
    let mixed = Math.imul(state ^ (state >>> 15), state | 1)
    mixed ^= mixed + Math.imul(mixed ^ (mixed >>> 7), mixed | 61)
    return ((mixed ^ (mixed >>> 14)) >>> 0) / 2 ** 32
  }
  const below = (end: number) => Math.floor(next() * end)
  return {
    next,
    below,
    pick: (from) => from[below(from.length)]!,
    bytes: (count) => Uint8Array.from({ length: count }, () => below(256)),
  }
}
