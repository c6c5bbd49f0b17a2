/** Records on their way: those that wait, and those that are acknowledged, for a while, in case the server has less. */
import { chained } from '@lapsus/core/format'
import type { Renew, Renewed } from './sink.ts'

/** Acknowledged records are kept for so long, and so many bytes of them. */
const KEPT_MS = 2_000
const KEPT_BYTES = 8 * 1024 * 1024

export interface Waiting {
  sequence: number
  bytes: Uint8Array
}

interface Sent extends Waiting {
  /** The chain after it (core/format/crc32); null where that before it is not known. */
  chain: number | null
}

export class Unacknowledged {
  #waiting: Waiting[] = []
  #bytes = 0
  /** Acknowledged, in order, without gaps up to the last. */
  #done: (Sent & { atMs: number })[] = []
  #doneBytes = 0
  #acknowledged = 0
  /** The last that was taken. */
  #last = 0
  /** The last after which the server's chain was the same. */
  #equal = 0
  /** Chains after records that were sent, by number, from the last that is acknowledged on. */
  readonly #chains = new Map<number, number>()

  /** In order. */
  get waiting(): readonly Waiting[] {
    return this.#waiting
  }

  /** Of those that wait. */
  get bytes(): number {
    return this.#bytes
  }

  put(sequence: number, bytes: Uint8Array): void {
    this.#waiting.push({ sequence, bytes })
    this.#bytes += bytes.length
    this.#last = sequence
  }

  /**
   * @param isReady whether the connection has said before what it has
   * @returns `behind` where what it has is less, or something else, and a new take is needed
   */
  acknowledged(
    ack: number,
    chain: number | undefined,
    isReady: boolean,
    nowMs: number,
  ): 'good' | 'behind' | 'never sent' {
    // Another run of the game may have taken up what this one left.
    if (ack > this.#last) return 'never sent'
    if (ack < this.#acknowledged) {
      // Answers do not overtake each other: a connection that is ready only says more.
      if (isReady) return 'good'
      return this.#goBack(ack) ? 'good' : 'behind'
    }
    const kept = this.#waiting.findIndex(({ sequence }) => sequence > ack)
    const done = this.#waiting.splice(0, kept === -1 ? this.#waiting.length : kept)
    for (const record of done) {
      this.#bytes -= record.bytes.length
      this.#doneBytes += record.bytes.length
      this.#done.push({ ...record, chain: this.#chainAfter(record), atMs: nowMs })
    }
    this.#acknowledged = ack
    const own = this.#done.at(-1)
    if (chain !== undefined && own?.sequence === ack) {
      if (own.chain !== null && own.chain !== chain) {
        this.#goBack(this.#equal)
        return 'behind'
      }
      this.#equal = ack
    }
    this.#forgetOld(nowMs)
    return 'good'
  }

  /** Everything that is left goes into a new take, behind a record that declares all. */
  renew(renew: Renew): Renewed {
    const first = this.#waiting[0]?.sequence ?? this.#last + 1
    const renewed = renew(first - 1)
    this.#waiting.unshift({ sequence: first - 1, bytes: renewed.declared })
    this.#bytes += renewed.declared.length
    this.#acknowledged = this.#equal = first - 2
    this.#chains.clear()
    this.#chains.set(first - 2, 0)
    return renewed
  }

  clear(): void {
    this.#waiting = []
    this.#done = []
    this.#bytes = this.#doneBytes = 0
  }

  /** @returns whether everything after record `ack` is still there */
  #goBack(ack: number): boolean {
    const again = this.#done.filter(({ sequence }) => sequence > ack)
    this.#done = []
    this.#doneBytes = 0
    this.#waiting = [...again.map(({ sequence, bytes }) => ({ sequence, bytes })), ...this.#waiting]
    for (const { bytes } of again) this.#bytes += bytes.length
    this.#acknowledged = ack
    return again[0]?.sequence === ack + 1
  }

  /** Records are acknowledged in order: the one before it is known, but for those of a spool file. */
  #chainAfter({ sequence, bytes }: Waiting): number | null {
    const before = sequence === 1 ? 0 : this.#chains.get(sequence - 1)
    this.#chains.delete(sequence - 1)
    if (before === undefined) return null
    const chain = chained(before, bytes)
    this.#chains.set(sequence, chain)
    return chain
  }

  #forgetOld(nowMs: number): void {
    let gone = 0
    while (gone < this.#done.length) {
      const { atMs, bytes } = this.#done[gone]!
      if (nowMs - atMs <= KEPT_MS && this.#doneBytes <= KEPT_BYTES) break
      this.#doneBytes -= bytes.length
      gone++
    }
    if (gone > 0) this.#done.splice(0, gone)
  }
}
