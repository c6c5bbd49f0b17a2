/** How far a job is, and whether it is to end: in memory that its thread and the server's own share. */
import type { AnyRecord } from '@lapsus/core/format'
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

  /** Counts a record's frames. @throws ProblemError as above */
  passed(record: AnyRecord): void {
    this.did({ frames: record.record === 'chunk' ? record.frameStartNs.length : 0 })
  }

  /** How much there is to do; 0 where that is not known. */
  of({ bytes = 0, frames = 0 }: { bytes?: number | undefined; frames?: number | undefined }): void {
    this.#fields[OF_BYTES] = bytes
    this.#fields[OF_FRAMES] = frames
  }

  get told(): { bytes: number; ofBytes: number; frames: number; ofFrames: number } {
    const of = (field: number) => this.#fields[field]!
    return { bytes: of(BYTES), ofBytes: of(OF_BYTES), frames: of(FRAMES), ofFrames: of(OF_FRAMES) }
  }
}
