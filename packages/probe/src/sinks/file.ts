import { close, closeSync, openSync, write, writeSync } from 'node:fs'
import { promisify } from 'node:util'
import type { ProblemListener, Sink } from './sink.ts'

const closeFile = promisify(close)

/** Appends records to a file without blocking the game; what is left at exit is written then. */
export class FileSink implements Sink {
  readonly #path: string
  readonly #mostBytes: number
  readonly #onProblem: ProblemListener
  #descriptor: number | null = null
  /** Closed, or given up. */
  #over = false
  #queue: Uint8Array[] = []
  #bytes = 0
  /** Where the head of the queue goes: a write that was cut off is simply done again. */
  #position = 0
  #writing: Promise<void> | null = null

  constructor(path: string, mostBytes: number, onProblem: ProblemListener) {
    this.#path = path
    this.#mostBytes = mostBytes
    this.#onProblem = onProblem
  }

  hasRoom(): boolean {
    return !this.#over && this.#bytes < this.#mostBytes
  }

  put(record: Uint8Array): void {
    if (this.#over) return
    try {
      this.#descriptor ??= openSync(this.#path, 'w')
    } catch (error) {
      this.#fail(error as Error)
      return
    }
    this.#queue.push(record)
    this.#bytes += record.length
    this.#writing ??= this.#drain()
  }

  async close(): Promise<void> {
    await this.#writing
    this.#over = true
    if (this.#descriptor === null) return
    const descriptor = this.#descriptor
    this.#descriptor = null
    await closeFile(descriptor)
  }

  /** For the process's last moment, when nothing asynchronous runs any more. */
  closeNow(): void {
    this.#over = true
    if (this.#descriptor === null) return
    try {
      for (const record of this.#queue) {
        writeSync(this.#descriptor, record, 0, record.length, this.#position)
        this.#position += record.length
      }
      closeSync(this.#descriptor)
    } catch (error) {
      this.#fail(error as Error)
    }
    this.#descriptor = null
  }

  async #drain(): Promise<void> {
    try {
      while (this.#queue.length > 0 && this.#descriptor !== null) await this.#writeWhole(this.#queue[0]!)
    } catch (error) {
      this.#fail(error as Error)
    }
    this.#writing = null
  }

  async #writeWhole(record: Uint8Array): Promise<void> {
    const written = await new Promise<number>((resolve, reject) => {
      write(this.#descriptor!, record, 0, record.length, this.#position, (error, bytes) => {
        if (error) reject(error)
        else resolve(bytes)
      })
    })
    this.#position += written
    this.#bytes -= written
    // A short write leaves the rest at the head of the queue.
    if (written < record.length) this.#queue[0] = record.subarray(written)
    else this.#queue.shift()
  }

  #fail(error: Error): void {
    if (!this.#over) this.#onProblem(`Lapsus: cannot record to ${this.#path}: ${error.message}`)
    this.#over = true
    this.#descriptor = null
    this.#queue = []
  }
}
