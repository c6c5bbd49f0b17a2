/** How long single runs take: a small histogram. */
import { percentileSorted } from '../../stats/index.ts'

export interface RunTimes {
  /** Runs looked at. */
  runs: number
  leastNs: number
  medianNs: number
  p95Ns: number
  worstNs: number
  /** Bins of equal width on a logarithmic scale; `fromNs` of the first is the least, `toNs` of the last the worst. */
  bins: { fromNs: number; toNs: number; runs: number }[]
}

const BINS = 24

/** @param durationNs in any order; is sorted. Null when there are none. */
export function runTimesOf(durationNs: Float64Array): RunTimes | null {
  if (durationNs.length === 0) return null
  durationNs.sort()
  const least = durationNs[0]!
  const worst = durationNs.at(-1)!
  const from = Math.log(Math.max(1, least))
  const width = (Math.log(Math.max(1, worst)) - from) / BINS
  const bins = Array.from({ length: width > 0 ? BINS : 1 }, (_, i) => ({
    fromNs: i === 0 ? least : Math.exp(from + i * width),
    toNs: width > 0 && i < BINS - 1 ? Math.exp(from + (i + 1) * width) : worst,
    runs: 0,
  }))
  for (const ns of durationNs) {
    const bin = width > 0 ? Math.floor((Math.log(Math.max(1, ns)) - from) / width) : 0
    bins[Math.min(bins.length - 1, bin)]!.runs++
  }
  return {
    runs: durationNs.length,
    leastNs: least,
    medianNs: percentileSorted(durationNs, 0.5),
    p95Ns: percentileSorted(durationNs, 0.95),
    worstNs: worst,
    bins,
  }
}
