/** Threads for long work, so that no request keeps the others waiting. */
import { availableParallelism } from 'node:os'
import { fileURLToPath } from 'node:url'
import Piscina from 'piscina'
import { ProblemError } from '../../problem-error.ts'
import type { WorkerSettings } from './pool-worker.ts'
import type { Refused } from './named-takes.ts'
import type { Asks, TaskName, Tells } from './tasks.ts'

/** A thread that has had nothing to do for so long ends, and with it its studies and connections. */
const IDLE_MS = 60_000
/** Of tasks that wait; more are refused. */
const MOST_WAITING = 32
/** Of one thread: two ten-minute takes at once. */
const THREAD_MB = 2_048

/** As it is built: threads have no TypeScript loader. */
const WORKER = fileURLToPath(
  new URL(
    import.meta.url.endsWith('.ts') ? '../../../dist/pool-worker.mjs' : './pool-worker.mjs',
    import.meta.url,
  ),
)

export class Pool {
  readonly #threads: Piscina

  constructor(databaseUrl: string) {
    this.#threads = new Piscina({
      filename: WORKER,
      workerData: { databaseUrl } satisfies WorkerSettings,
      minThreads: 0,
      maxThreads: Math.max(1, availableParallelism() - 1),
      maxQueue: MOST_WAITING,
      idleTimeout: IDLE_MS,
      resourceLimits: { maxOldGenerationSizeMb: THREAD_MB },
    })
  }

  /**
   * Goes on though whoever asked may hang up: one that has closed its half of the connection still waits for the answer.
   * @throws ProblemError 422 for what cannot be done, 503 where too much is waiting
   */
  async run<N extends TaskName>(name: N, ask: Asks[N]): Promise<Tells[N]> {
    if (this.#threads.queueSize >= MOST_WAITING)
      throw new ProblemError(503, 'too much long work is waiting; ask again soon', undefined, 5)
    const told = (await this.#threads.run({ name, ask })) as Tells[N] | Refused
    if (typeof told === 'object' && 'refused' in told) throw new ProblemError(422, told.refused)
    return told
  }

  stop(): Promise<void> {
    return this.#threads.destroy()
  }
}
