import type { Order } from '@lapsus/core/format'

/** Where a probe's records go. Implement it to send a take anywhere else. */
export interface Sink {
  /** Whether a chunk can be taken now. While it can't, the probe leaves out whole frames. */
  hasRoom(): boolean
  /** Takes one encoded record; sequence 0 is the take's own. Must not block and must not throw. */
  put(record: Uint8Array, sequence: number): void
  /** Told to what hears of the recipient's wishes, if it can have any. */
  onOrder?(listener: (order: Order) => void): void
  /** Resolves when everything is delivered, or cannot be. */
  close(): Promise<void>
}

/** Told, once each, about things the player of the game need not know. Default: console.warn. */
export type ProblemListener = (message: string) => void
