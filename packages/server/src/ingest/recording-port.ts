/** What is said between the connection of a game, on the server's own thread, and the thread that stores its records. */
import type { IngestMessage } from '@lapsus/core/format'

/** Close codes, RFC 6455 7.4.1. */
export const GOING_AWAY = 1001
export const POLICY_VIOLATION = 1008
export const TRY_AGAIN = 1013

/** A game that ends waits for less than two seconds of silence: a thread may take longer to begin, or a commit. */
export const SIGN_OF_LIFE_MS = 500

/** From the connection. */
export type Heard =
  /** A message of the game, handed over. */
  | { bytes: Uint8Array }
  /** The game is gone, or is to go: what came is to be committed still. */
  | { end: 'closed' | 'stopping' }
  /** No other connection writes the take any more. */
  | { alone: true }

/** To the connection. */
export type Told =
  | { say: IngestMessage }
  /** So many bytes have been dealt with. */
  | { done: number }
  | { hangUp: number }
  /** Which take it is: other connections that write it are to be ended; answered with `alone`. */
  | { begins: string }
  /** A record is committed, or could not be for lack of room. */
  | { stored: true }
  | { full: string }
