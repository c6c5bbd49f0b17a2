import type { Order } from '@lapsus/core/format'

/** What begins a take that goes on with the one so far. */
export interface Renewed {
  take: string
  /** The take's own record. */
  head: Uint8Array
  /** Everything that has been declared. */
  declared: Uint8Array
}
/** @param sequence of the record that declares everything: the one before the first that is sent again */
export type Renew = (sequence: number) => Renewed

/** Where a probe's records go. Implement it to send a take anywhere else. */
export interface Sink {
  /** Whether a chunk can be taken now. While it can't, the probe leaves out whole frames. */
  hasRoom(): boolean
  /** Takes one encoded record; sequence 0 is the take's own. Must not block and must not throw. */
  put(record: Uint8Array, sequence: number): void
  /** Given what begins a new take, for a recipient that has less than it had acknowledged. */
  onBehind?(renew: Renew): void
  /** Told to what hears of the recipient's wishes, if it can have any. */
  onOrder?(listener: (order: Order) => void): void
  /** Resolves when everything is delivered, or cannot be. */
  close(): Promise<void>
}

/** Told, once each, about things the player of the game need not know. Default: console.warn. */
export type ProblemListener = (message: string) => void
