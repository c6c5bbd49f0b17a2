/** How busy the server is: what its threads have in hand, and how late its own thread is. */
import { monitorEventLoopDelay, type IntervalHistogram } from 'node:perf_hooks'
import type { LoadReport } from '@lapsus/api'
import type { Pool } from './pool/pool.ts'

/** How often the lateness is looked at, ms; the histogram counts it in. */
const EVERY_MS = 10
/** Lateness is of the last one to two such spans. */
const SPAN_MS = 30_000

export class Load {
  readonly #pool: Pool
  readonly #turn: ReturnType<typeof setInterval>
  #before: IntervalHistogram | null = null
  #now = begun()

  constructor(pool: Pool) {
    this.#pool = pool
    this.#turn = setInterval(() => {
      this.#before?.disable()
      this.#before = this.#now
      this.#now = begun()
    }, SPAN_MS)
  }

  get report(): LoadReport {
    const late = [this.#before, this.#now].filter((one) => one !== null)
    const most = (of: (one: IntervalHistogram) => number) =>
      Math.max(0, ...late.map((one) => (one.count === 0 ? 0 : of(one) / 1e6 - EVERY_MS)))
    return {
      threads: this.#pool.busy,
      late: { p99Ms: most((one) => one.percentile(99)), mostMs: most((one) => one.max) },
      memoryBytes: process.memoryUsage.rss(),
    }
  }

  stop(): void {
    clearInterval(this.#turn)
    this.#before?.disable()
    this.#now.disable()
  }
}

function begun(): IntervalHistogram {
  const histogram = monitorEventLoopDelay({ resolution: EVERY_MS })
  histogram.enable()
  return histogram
}
