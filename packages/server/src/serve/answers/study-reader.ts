import { StudyBuilder, studyChunkOf, type Study, type StudyFrom } from '@lapsus/core/study'
import { unpack } from '../../store/compression.ts'
import type { Store, TakeFields } from '../../store/store.ts'
import { storedChunks } from './stored-chunks.ts'

/** Reads all of a take into a study; of one that is still being recorded each time what has come since. */
export class StudyReader {
  readonly #store: Store
  readonly #takeId: string
  readonly #builder: StudyBuilder
  /** Number of the first chunk that is not read yet. */
  #next = 0
  #tail: Promise<void> = Promise.resolve()

  constructor(store: Store, { id, frames }: TakeFields) {
    this.#store = store
    this.#takeId = id
    this.#builder = new StudyBuilder(Number(frames))
  }

  /** Cells of the courses that are read: 24 bytes each, without details. */
  get cells(): number {
    return this.#builder.cells
  }

  /** Resolves when what is stored by now is read. */
  readOn(): Promise<void> {
    const read = this.#tail.then(() => this.#read())
    this.#tail = read.catch(() => {})
    return read
  }

  async #read(): Promise<void> {
    for await (const { chunks, next } of storedChunks(this.#store, this.#takeId, this.#next)) {
      const ready = await Promise.all(chunks.map((chunk) => studyChunkOf(chunk, unpack)))
      for (const chunk of ready) this.#builder.add(chunk)
      this.#next = next
    }
  }

  /** Of the frames that are read. */
  study(from: StudyFrom): Study {
    return this.#builder.study(from)
  }
}
