/** Resampling of values that hang together: whole blocks of neighbours are drawn again. */

/** The lag beyond which nothing hangs together that matters. */
const LONGEST_LAG = 200
/** A correlation below 2 √(log₁₀ n ÷ n) is none (Politis and White, 2004). */
const NONE = 2
const SHORTEST = 1

/**
 * The length of a block for the mean of a series: (2 g² ÷ D)^(1/3) n^(1/3), with D = 4/3 G² for moving blocks, from the
 * correlations up to where they vanish (Politis and White, Econometric Reviews 23, 2004, with the correction of 2009).
 */
export function blockLength(values: ArrayLike<number>): number {
  const n = values.length
  if (n < 20) return SHORTEST
  let middle = 0
  for (let i = 0; i < n; i++) middle += values[i]!
  middle /= n
  const covarianceAt = (lag: number): number => {
    let sum = 0
    for (let i = lag; i < n; i++) sum += (values[i]! - middle) * (values[i - lag]! - middle)
    return sum / n
  }
  const variance = covarianceAt(0)
  if (!(variance > 0)) return SHORTEST
  const most = Math.min(LONGEST_LAG, Math.floor(n / 4))
  const threshold = NONE * Math.sqrt(Math.log10(n) / n)
  const run = Math.max(5, Math.ceil(Math.sqrt(Math.log10(n))))
  const covariances = [variance]
  let vanished = 0
  let last = 0
  for (let lag = 1; lag <= most && vanished < run; lag++) {
    covariances.push(covarianceAt(lag))
    if (Math.abs(covariances[lag]! / variance) < threshold) vanished++
    else {
      vanished = 0
      last = lag
    }
  }
  if (last === 0) return SHORTEST
  const bandwidth = Math.min(covariances.length - 1, 2 * last)
  // The flat-top window keeps near lags whole and lets far ones fall.
  const window = (lag: number) => Math.min(1, 2 * (1 - lag / bandwidth))
  let g = 0
  let spectrum = variance
  for (let lag = 1; lag <= bandwidth; lag++) {
    g += 2 * window(lag) * lag * covariances[lag]!
    spectrum += 2 * window(lag) * covariances[lag]!
  }
  if (!(spectrum > 0)) return Math.min(most, 2 * last)
  const length = Math.cbrt((2 * g * g) / ((4 / 3) * spectrum * spectrum)) * Math.cbrt(n)
  return Math.min(Math.floor(n / 4), Math.max(SHORTEST, Math.ceil(length)))
}

/** The same draws every time: an answer does not change by being asked again (mulberry32). */
export function steadyRandom(seed = 1): () => number {
  let state = seed
  return () => {
    state = (state + 0x6d2b79f5) | 0
    let mixed = Math.imul(state ^ (state >>> 15), 1 | state)
    mixed = (mixed + Math.imul(mixed ^ (mixed >>> 7), 61 | mixed)) ^ mixed
    return ((mixed ^ (mixed >>> 14)) >>> 0) / 4_294_967_296
  }
}

/** Where the blocks of one resample begin: as many as are as long as `count` together; blocks go on from the end to the beginning. */
export function drawBlocks(count: number, length: number, random: () => number): Uint32Array {
  const starts = new Uint32Array(Math.max(1, Math.round(count / length)))
  for (let i = 0; i < starts.length; i++) starts[i] = Math.floor(random() * count)
  return starts
}

/** Standard deviation of values; 0 for fewer than two. */
export function deviationOf(values: ArrayLike<number>): number {
  const n = values.length
  if (n < 2) return 0
  let middle = 0
  for (let i = 0; i < n; i++) middle += values[i]!
  middle /= n
  let squares = 0
  for (let i = 0; i < n; i++) squares += (values[i]! - middle) ** 2
  return Math.sqrt(squares / (n - 1))
}
