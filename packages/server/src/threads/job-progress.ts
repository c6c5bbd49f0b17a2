/** How far a job is, and whether it is to end: in memory that its thread and the server's own share. */
import { ProblemError } from '../problem-error.ts'

/** Float64: 1 where it is to end, bytes done, of how many, frames done, of how many; 0 for not known. */
const FIELDS = 5
const [STOP, BYTES, OF_BYTES, FRAMES, OF_FRAMES] = [0, 1, 2, 3, 4] as const

export class JobProgress {
  readonly memory: SharedArrayBuffer
  readonly #fields: Float64Array

  constructor(memory = new SharedArrayBuffer(8 * FIELDS)) {
    this.memory = memory
    this.#fields = new Float64Array(memory)
  }

  get isStopped(): boolean {
    return this.#fields[STOP] === 1
  }

  stop(): void {
    this.#fields[STOP] = 1
  }

  /** @throws ProblemError where somebody has stopped the job, or its client has gone */
  check(): void {
    if (this.isStopped) throw new ProblemError(409, 'the job was stopped')
  }

  /** Counts what is done. @throws ProblemError as above */
  did({ bytes = 0, frames = 0 }: { bytes?: number; frames?: number }): void {
    this.#fields[BYTES]! += bytes
    this.#fields[FRAMES]! += frames
    this.check()
  }

  of({ bytes, frames }: { bytes?: number; frames?: number }): void {
    if (bytes !== undefined) this.#fields[OF_BYTES] = bytes
    if (frames !== undefined) this.#fields[OF_FRAMES] = frames
  }

  get told(): { bytes: number; ofBytes: number; frames: number; ofFrames: number } {
    const [, bytes, ofBytes, frames, ofFrames] = this.#fields as unknown as [
      number,
      number,
      number,
      number,
      number,
    ]
    return { bytes, ofBytes, frames, ofFrames }
  }
}
