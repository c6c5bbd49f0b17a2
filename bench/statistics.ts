import { percentile } from '@lapsus/core/stats'

/** Of repeated measurements, ms. */
export interface Summary {
  median: number
  p95: number
}

export const summary = (values: number[]): Summary => ({
  median: percentile(values, 0.5),
  p95: percentile(values, 0.95),
})

/** Times each of `times` runs, ms. */
export async function repeat(times: number, work: (round: number) => unknown): Promise<number[]> {
  const taken: number[] = []
  for (let round = 0; round < times; round++) {
    const startMs = performance.now()
    await work(round)
    taken.push(performance.now() - startMs)
  }
  return taken
}
