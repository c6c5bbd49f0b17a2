import { FormatError, withPlace, type AnyRecord, type FormatErrorPlace } from '@lapsus/core/format'

import type { Store } from '../store/store.ts'
import { finishTake } from './finish.ts'
import { TakeWriter } from './take-writer.ts'

/** Stores the records of one take as they come, from a file or from another take. */
export class RecordStore {
  readonly #store: Store
  #writer: TakeWriter | null = null
  #sequence = 0

  constructor(store: Store) {
    this.#store = store
  }

  /** Null until the take's own record has come. */
  get takeId(): string | null {
    return this.#writer?.takeId ?? null
  }

  /**
   * Stores one record.
   * @param passedOver told what is wrong with a record that does not fit, which is then left out; without it
   *   that is an error
   * @throws FormatError with its place
   */
  async put(
    record: AnyRecord,
    place: FormatErrorPlace,
    passedOver?: (reason: string) => void,
  ): Promise<void> {
    try {
      if (record.record === 'take') {
        this.#writer = await TakeWriter.open(this.#store, record)
        return
      }
      // Numbered anew: one that was left out leaves no gap.
      await this.#writer!.write({ ...record, sequence: this.#sequence + 1 })
      this.#sequence++
    } catch (error) {
      if (!(error instanceof FormatError) || passedOver === undefined || record.record === 'take') {
        throw withPlace(error, place)
      }
      passedOver(error.reason)
    }
  }

  /** Waits for everything to be committed. */
  async settled(): Promise<void> {
    await this.#writer?.settled()
  }

  /** Waits for everything to be committed and closes the take. */
  async finish(complete: boolean): Promise<void> {
    await this.#writer?.settled()
    if (this.#writer !== null)
      await finishTake(this.#store, this.#writer.takeId, complete ? 'complete' : 'cut-short')
  }
}

/** Does `work`; what it has stored by the time it fails, or is stopped, is no take that anybody wanted. */
export async function wholeOrNothing(
  store: Store,
  records: RecordStore,
  work: () => Promise<void>,
): Promise<void> {
  try {
    await work()
  } catch (error) {
    await records.settled().catch(() => {})
    if (records.takeId !== null) await store.takes.destroy({ where: { id: records.takeId } })
    throw error
  }
}
