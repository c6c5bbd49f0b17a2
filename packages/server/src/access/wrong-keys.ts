/**
 * Keys that admit nobody are answered later and later. A right one is compared first, and never waits: a guess gains
 * nothing from it, since keys have at least 16 characters.
 */
import { setTimeout as pause } from 'node:timers/promises'
import { networkOf } from './tries.ts'

export const WRONG_KEY_LIMITS = {
  /** Of one address, answered at once. */
  FREE: 5,
  FIRST_MS: 100,
  MOST_MS: 5_000,
  FORGOTTEN_MS: 60_000,
  /** Addresses that are remembered, and answers that wait at once. */
  ADDRESSES: 4_096,
  WAITING: 64,
} as const

export class WrongKeys {
  readonly #of = new Map<string, { count: number; atMs: number }>()
  #waiting = 0

  /** How long the answer to a wrong key from this address has to wait from now on, ms. */
  next(address: string, nowMs = Date.now()): number {
    const { FREE, FIRST_MS, MOST_MS, FORGOTTEN_MS, ADDRESSES } = WRONG_KEY_LIMITS
    const network = networkOf(address)
    const last = this.#of.get(network)
    const count = last === undefined || nowMs - last.atMs > FORGOTTEN_MS ? 1 : last.count + 1
    this.#of.delete(network)
    this.#of.set(network, { count, atMs: nowMs })
    if (this.#of.size > ADDRESSES) this.#of.delete(this.#of.keys().next().value!)
    return count <= FREE ? 0 : Math.min(MOST_MS, FIRST_MS * 2 ** (count - FREE - 1))
  }

  async wait(address: string): Promise<void> {
    const ms = this.next(address)
    if (ms === 0 || this.#waiting >= WRONG_KEY_LIMITS.WAITING) return
    this.#waiting++
    await pause(ms)
    this.#waiting--
  }
}
