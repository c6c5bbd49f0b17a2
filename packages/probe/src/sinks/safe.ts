import type { Order } from '@lapsus/core/format'
import { heard, safely } from '../given.ts'
import type { ProblemListener, Renew, Sink } from './sink.ts'

/** A sink of the game's own: what it throws is told once and does not reach the game's loop. */
export class SafeSink implements Sink {
  readonly #sink: Sink
  readonly #onProblem: ProblemListener
  #told = false

  constructor(sink: Sink, onProblem: ProblemListener) {
    this.#sink = sink
    this.#onProblem = onProblem
  }

  hasRoom(): boolean {
    return safely(() => this.#sink.hasRoom() === true, false)
  }

  put(record: Uint8Array, sequence: number): void {
    try {
      heard(this.#sink.put(record, sequence), (error) => this.#tell(error))
    } catch (error) {
      this.#tell(error)
    }
  }

  onBehind(renew: Renew): void {
    safely(() => this.#sink.onBehind?.(renew), undefined)
  }

  onOrder(listener: (order: Order) => void): void {
    safely(() => this.#sink.onOrder?.(listener), undefined)
  }

  async close(): Promise<void> {
    try {
      await this.#sink.close()
    } catch (error) {
      this.#tell(error)
    }
  }

  #tell(error: unknown): void {
    if (this.#told) return
    this.#told = true
    this.#onProblem(`Lapsus: the sink failed: ${safely(() => String(error), 'it says not why')}`)
  }
}
