/** Finds service instances that nobody puts together, and has it done here. */
import { MessageChannel, type MessagePort } from 'node:worker_threads'
import type { Logger } from 'pino'
import { atIntervals } from '../../at-intervals.ts'
import type { Store } from '../../store/store.ts'
import { orphanedTraces } from './assemble.ts'

const LOOK_EVERY_MS = 500

/** Puts an instance together on a thread, until it ends or the other end of the port closes. */
type AssemblesTraces = (instanceHash: string, port: MessagePort) => Promise<void>

export class TraceWatch {
  readonly #store: Store
  readonly #assemble: AssemblesTraces
  readonly #log: Logger
  /** Those that are put together here. */
  readonly #own = new Map<string, { done: Promise<void>; port: MessagePort }>()
  readonly #timer: ReturnType<typeof setInterval>

  constructor(store: Store, assemble: AssemblesTraces, log: Logger) {
    this.#store = store
    this.#assemble = assemble
    this.#log = log
    this.#timer = atIntervals(LOOK_EVERY_MS, () => this.#look())
  }

  /** Before the threads end: each lets go of what it has in hand. */
  async stop(): Promise<void> {
    clearInterval(this.#timer)
    const own = [...this.#own.values()]
    for (const { port } of own) port.close()
    await Promise.all(own.map(({ done }) => done))
  }

  async #look(): Promise<void> {
    for (const instanceHash of await orphanedTraces(this.#store))
      if (!this.#own.has(instanceHash)) this.#begin(instanceHash)
  }

  #begin(instanceHash: string): void {
    const { port1, port2 } = new MessageChannel()
    const done = this.#assemble(instanceHash, port2)
      .catch((error: Error) => this.#log.warn({ err: error }, 'traces could not be put together; once more'))
      .finally(() => {
        this.#own.delete(instanceHash)
        port1.close()
      })
    this.#own.set(instanceHash, { done, port: port1 })
  }
}
