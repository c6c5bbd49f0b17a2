/** Threads for all that takes long, so that no request keeps the others waiting. */
import { fileURLToPath } from 'node:url'
import type { MessagePort, Worker } from 'node:worker_threads'
import type { LoadReport } from '@lapsus/api'
import { pino, type Logger } from 'pino'
import Piscina from 'piscina'
import { ProblemError } from '../../problem-error.ts'
import type { Store } from '../../store/store.ts'
import { HEAP_MB, KIND_OF, KINDS, YOUNG_MB, type KindName } from './kinds.ts'
import type { Failed, FromThread, WorkerSettings } from './pool-worker.ts'
import type { Asks, Tells } from './tasks.ts'

/** Of tasks of one kind that wait; more are refused. */
const MOST_WAITING = 64
const AGAIN_S = 5
const WAKE_MS = 500
/** Threads of a kind that fail one after the other as they begin, before who waits for one is told. */
const MOST_FAILED_BEGINS = 4
const ONLY_READING: readonly KindName[] = ['questions', 'small', 'studies']

/** As it is built: threads have no TypeScript loader. */
const WORKER = fileURLToPath(
  new URL(
    import.meta.url.endsWith('.ts') ? '../../../dist/pool-worker.mjs' : './pool-worker.mjs',
    import.meta.url,
  ),
)

export class Pool {
  readonly #databaseUrl: string
  readonly #store: Store
  readonly #log: Logger
  readonly #script: string
  readonly #threads: Record<KindName, Piscina>
  readonly #inHand: Record<KindName, number>
  #isStopping = false

  /**
   * @param store told of takes that a thread has closed
   * @param script of the threads
   */
  constructor(databaseUrl: string, store: Store, log: Logger, script = WORKER) {
    this.#databaseUrl = databaseUrl
    this.#store = store
    this.#log = log
    this.#script = script
    const names = Object.keys(KINDS) as KindName[]
    this.#inHand = Object.fromEntries(names.map((name) => [name, 0])) as Record<KindName, number>
    const begun = names.map((name) => [name, this.#begin(name)])
    this.#threads = Object.fromEntries(begun) as Record<KindName, Piscina>
  }

  #begin(name: KindName): Piscina {
    const { threads, atOnce, idleMs } = KINDS[name]
    const pool = new Piscina({
      filename: this.#script,
      workerData: {
        databaseUrl: this.#databaseUrl,
        logLevel: this.#log.level,
      } satisfies WorkerSettings,
      minThreads: 0,
      maxThreads: threads,
      concurrentTasksPerWorker: atOnce,
      maxQueue: MOST_WAITING,
      idleTimeout: idleMs,
      // Waiting for tasks with Atomics would stop timers and connections of the thread meanwhile.
      atomics: 'disabled',
      resourceLimits: { maxOldGenerationSizeMb: HEAP_MB, maxYoungGenerationSizeMb: YOUNG_MB },
      // Another thread before a second task on one that is busy.
      loadBalancer: (_task, workers) => {
        const [least] = [...workers].sort((a, b) => a.currentUsage - b.currentUsage)
        if (least === undefined || least.currentUsage >= atOnce) return null
        return least.currentUsage > 0 && workers.length < threads ? null : least
      },
    })
    pool.on('message', (message: FromThread) => this.#hear(message))
    let failedBegins = 0
    pool.on('workerCreate', () => (failedBegins = 0))
    pool.on('error', (error: Error) => {
      this.#log.error({ err: error }, 'a thread could not begin')
      // Where there is another thread, it may be at work, and will do the rest.
      if (++failedBegins < MOST_FAILED_BEGINS || pool.threads.length > 0 || this.#isStopping) return
      this.#threads[name] = this.#begin(name)
      void pool.destroy()
    })
    pool.on('workerDestroy', () => {
      // Tasks that waited for a thread which died as it began wait on until another task comes.
      setTimeout(() => pool.queueSize > 0 && this.wake(name), WAKE_MS).unref()
    })
    return pool
  }

  #hear(message: FromThread): void {
    if ('closedTake' in message) {
      this.#store.closedTakes.tell(message.closedTake)
      return
    }
    const { level, time: _, msg, pid: _pid, hostname: _host, ...fields } = JSON.parse(message.line)
    this.#log[pino.levels.labels[level] as 'info'](fields, msg)
  }

  /** Begins a thread of the kind where there is none: somebody will soon have something for it to do. */
  wake(kind: KindName): void {
    const threads = this.#threads[kind]
    if (threads.threads.length === 0) threads.run({ name: 'wake', ask: null }).catch(() => {})
  }

  /** The same, but later: what is done meanwhile is to have the cores. */
  wakeLater(kind: KindName, afterMs: number): void {
    setTimeout(() => this.#isStopping || this.wake(kind), afterMs).unref()
  }

  /**
   * Goes on though whoever asked may hang up: one that has closed its half of the connection still waits for the answer.
   * @param ports handed over with what is asked
   * @throws ProblemError for what cannot be done, 503 where too much is waiting, the thread has died, or none can begin
   */
  async run<N extends keyof typeof KIND_OF>(
    name: N,
    ask: Asks[N],
    ports: MessagePort[] = [],
  ): Promise<Tells[N]> {
    const kind = KIND_OF[name]
    const threads = this.#threads[kind]
    if (threads.queueSize >= MOST_WAITING)
      throw new ProblemError(503, 'too much long work is waiting; ask again soon', undefined, AGAIN_S)
    this.#inHand[kind]++
    const result = await this.#result(name, ask, ports).finally(() => this.#inHand[kind]--)
    if ('failed' in result) {
      const { status, message, field, retryAfterS } = result.failed
      throw new ProblemError(status, message, field, retryAfterS)
    }
    return result.told
  }

  async #result<N extends keyof typeof KIND_OF>(
    name: N,
    ask: Asks[N],
    ports: MessagePort[],
    isAgain = false,
  ): Promise<{ told: Tells[N] } | Failed> {
    const kind = KIND_OF[name]
    const threads = this.#threads[kind]
    try {
      return (await threads.run({ name, ask }, { transferList: ports })) as { told: Tells[N] } | Failed
    } catch (error) {
      if (this.#isStopping) throw new ProblemError(503, 'the server is being stopped', undefined, AGAIN_S)
      if (threads !== this.#threads[kind])
        throw new ProblemError(503, 'no thread of the server can begin', undefined, AGAIN_S)
      if ((error as { code?: unknown }).code === 'ERR_WORKER_OUT_OF_MEMORY') {
        throw new ProblemError(422, `this takes more memory than a thread of the server has: ${HEAP_MB} MB`)
      }
      this.#log.error({ err: error, task: name }, 'a thread died')
      // What only reads is done again; what stores may have been done, or had its bytes from a port that is gone.
      if (ONLY_READING.includes(kind) && !isAgain) return this.#result(name, ask, ports, true)
      throw new ProblemError(503, 'the server lost the thread that did this', undefined, AGAIN_S)
    }
  }

  /** What the threads have in hand, by kind. */
  get busy(): LoadReport['threads'] {
    return Object.entries(this.#threads).map(([kind, { threads, queueSize }]) => ({
      ...{ kind, threads: threads.length, waiting: queueSize },
      inHand: this.#inHand[kind as KindName],
    }))
  }

  /** The threads of a kind that are there now. */
  workers(kind: KindName): readonly Worker[] {
    return this.#threads[kind].threads
  }

  async stop(): Promise<void> {
    this.#isStopping = true
    await Promise.all(Object.values(this.#threads).map((threads) => threads.destroy()))
  }
}
