/** The recording stream: one WebSocket, one take. */
import {
  decodeRecord,
  FormatError,
  INGEST_PROTOCOL,
  withPlace,
  type IngestMessage,
  type TakeRecord,
} from '@lapsus/core/format'
import type { Logger } from 'pino'

import type { WebSocket } from 'ws'
import { failureKind } from '../store/failure.ts'
import type { DatabaseHealth } from '../store/health.ts'
import { wordsOf } from '../log.ts'
import type { Store } from '../store/store.ts'
import { finishTake, touchTake } from './finish.ts'
import { identify } from './identity.ts'
import { CommitFailure, countTry, MOST_TRIES } from './set-aside.ts'
import { StaleWriter, TakeWriter } from './take-writer.ts'
import { takeWish } from './wishes.ts'

/** Received but unwritten bytes beyond which the socket is not read. */
const MOST_PENDING_BYTES = 16 * 1024 * 1024
const TOUCH_EVERY_MS = 5_000
const WISH_EVERY_MS = 500
/** Close codes, RFC 6455 7.4.1. */
const GOING_AWAY = 1001
const POLICY_VIOLATION = 1008
const TRY_AGAIN = 1013

/** Which games may stream over a connection; null for any. */
export type AllowedGame = string | null

export class IngestStreams {
  readonly #store: Store
  readonly #health: DatabaseHealth
  readonly #log: Logger
  readonly #open = new Map<WebSocket, IngestStream>()

  constructor(store: Store, health: DatabaseHealth, log: Logger) {
    this.#store = store
    this.#health = health
    this.#log = log
  }

  accept(socket: WebSocket, allowed: AllowedGame = null): void {
    const stream = new IngestStream(socket, this.#store, this.#health, this.#log, allowed, (takeId) =>
      this.#takeOver(socket, takeId),
    )
    this.#open.set(socket, stream)
    socket.once('close', () => void stream.idle().then(() => this.#open.delete(socket)))
  }

  /** Stops reading, waits for what was received to be committed and acknowledged, and hangs up. */
  async stop(): Promise<void> {
    await Promise.all([...this.#open.values()].map((stream) => stream.stop()))
  }

  /** A game that reconnects may be faster than the news of its old connection's end. */
  async #takeOver(socket: WebSocket, takeId: string): Promise<void> {
    for (const [other, stream] of this.#open) {
      if (other === socket || stream.takeId !== takeId) continue
      other.terminate()
      await stream.idle()
    }
  }
}

class IngestStream {
  readonly #socket: WebSocket
  readonly #store: Store
  readonly #health: DatabaseHealth
  readonly #log: Logger
  readonly #allowed: AllowedGame
  readonly #takeOver: (takeId: string) => Promise<void>
  readonly #timers: ReturnType<typeof setInterval>[]
  #writer: TakeWriter | null = null
  #queue: Promise<void> = Promise.resolve()
  #pendingBytes = 0
  /** Bytes of the records that are not committed yet, by number: what cannot be stored is kept as it came. */
  readonly #uncommitted = new Map<number, Uint8Array>()
  /** Number of the closing record, which is acknowledged when the take is closed. */
  #lastOfAll = -1
  #place = { record: 0, offset: 0 }
  #broken = false

  constructor(
    socket: WebSocket,
    store: Store,
    health: DatabaseHealth,
    log: Logger,
    allowed: AllowedGame,
    takeOver: (takeId: string) => Promise<void>,
  ) {
    this.#socket = socket
    this.#store = store
    this.#health = health
    this.#log = log
    this.#allowed = allowed
    this.#takeOver = takeOver
    this.#timers = [
      oneAtATime(TOUCH_EVERY_MS, async () => {
        if (this.#writer !== null) await touchTake(this.#store, this.#writer.takeId)
      }),
      oneAtATime(WISH_EVERY_MS, () => this.#passOnWish()),
    ]
    socket.on('message', (data: Buffer) => this.#receive(data))
    socket.on('error', (error) => log.warn({ error: error.message }, 'recording stream failed'))
    socket.once('close', () => this.#timers.forEach(clearInterval))
  }

  get takeId(): string | null {
    return this.#writer?.takeId ?? null
  }

  /** Resolves once everything received so far is dealt with. */
  async idle(): Promise<void> {
    await this.#queue
    await this.#writer?.settled().catch(() => {})
  }

  async stop(): Promise<void> {
    this.#socket.pause()
    await this.idle()
    this.#broken = true
    this.#hangUp(GOING_AWAY)
  }

  #hangUp(code: number): void {
    // A paused socket would not see the closing handshake.
    if (this.#socket.isPaused) this.#socket.resume()
    this.#socket.close(code)
  }

  #receive(bytes: Buffer): void {
    this.#pendingBytes += bytes.length
    if (this.#pendingBytes > MOST_PENDING_BYTES) this.#socket.pause()
    this.#queue = this.#queue.then(async () => {
      try {
        if (!this.#broken) await this.#take(bytes)
      } catch (error) {
        await this.#fail(error as Error).catch((failure) => this.#log.error(failure, 'could not close take'))
      }
      this.#pendingBytes -= bytes.length
      if (this.#pendingBytes <= MOST_PENDING_BYTES / 2 && this.#socket.isPaused) this.#socket.resume()
    })
  }

  async #take(bytes: Buffer): Promise<void> {
    const place = this.#place
    this.#place = { record: place.record + 1, offset: place.offset + bytes.length }
    const record = decodeRecord(bytes, place)
    if (record.record === 'take') {
      await this.#begin(record)
      return
    }
    const writer = this.#writer!
    const { sequence } = record
    if (record.record === 'end') this.#lastOfAll = sequence
    this.#uncommitted.set(sequence, bytes)
    const why = writer.whySetAside(sequence)
    try {
      await writer.write(record)
    } catch (error) {
      throw withPlace(error, place)
    }
    if (why !== null) this.#note(`record ${sequence} could not be stored (${why}); it is set aside`)
    if (record.record === 'end') {
      await writer.settled()
      await finishTake(this.#store, writer.takeId, 'complete')
      this.#say({ type: 'ack', ack: sequence })
    } else {
      // A commit may fail when no further record comes to notice it.
      void writer.settled().catch((error: Error) => this.#fail(error))
    }
  }

  async #begin(record: TakeRecord): Promise<void> {
    if (this.#allowed !== null && this.#allowed !== record.game) {
      this.#refuse('wrong-key', `the ingest key is not one of the game ${JSON.stringify(record.game)}`)
      return
    }
    if (!this.#health.mayStore) {
      // The game keeps its records and tries again.
      this.#broken = true
      this.#hangUp(TRY_AGAIN)
      return
    }
    const { row, isNew, note } = await identify(this.#store, record)
    await this.#takeOver(row.id)
    await row.reload()
    this.#writer = await TakeWriter.goOn(this.#store, { row, isNew }, (ack) => {
      this.#uncommitted.delete(ack)
      this.#health.stored()
      // Whoever hears that the end is committed may ask for the take's figures at once.
      if (ack !== this.#lastOfAll) this.#say({ type: 'ack', ack })
    })
    this.#log.info({ take: row.id, game: record.game, from: this.#writer.lastSequence }, 'recording')
    if (note !== null) this.#note(note)
    this.#say({ type: 'ack', ack: this.#writer.lastSequence })
  }

  async #passOnWish(): Promise<void> {
    const take = this.takeId
    const wish = take === null || this.#broken ? null : await takeWish(this.#store, take)
    if (wish === null) return
    this.#log.info({ take, wish: wish.order }, 'somebody wishes')
    if (wish.order !== 'discard') this.#say({ type: 'order', ...wish })
    else this.#refuse('discarded', 'somebody discarded the recording')
  }

  #refuse(code: string, message: string): void {
    this.#broken = true
    this.#say({ type: 'refused', refused: { code, message } })
    this.#hangUp(POLICY_VIOLATION)
  }

  async #fail(error: Error): Promise<void> {
    if (this.#broken) return
    const take = this.takeId
    if (error instanceof FormatError) {
      this.#broken = true
      // What came before the bad record is good, and may still be under way.
      await this.#writer?.settled().catch(() => {})
      this.#log.warn({ take, code: error.code, place: error.place }, error.message.slice(0, 600))
      this.#refuse(error.code, error.message)
      if (take !== null && error.code !== 'after-end') await finishTake(this.#store, take, 'cut-short')
      return
    }
    // The game keeps what was not acknowledged and tries again.
    this.#broken = true
    if (error instanceof StaleWriter) this.#log.warn({ take }, error.message)
    else await this.#notStored(error)
    this.#hangUp(TRY_AGAIN)
  }

  /** Finds out whether the database is in trouble or this one record. */
  async #notStored(error: Error): Promise<void> {
    const take = this.takeId
    const cause = error instanceof CommitFailure ? (error.cause as Error) : error
    const kind = failureKind(cause)
    this.#log.error({ take, err: cause, kind }, error.message.slice(0, 600))
    if (kind === 'full') this.#health.full(wordsOf(cause))
    if (!(error instanceof CommitFailure) || take === null || kind === 'full') return
    if (kind === 'away' || kind === 'conflict') return
    const bytes = this.#uncommitted.get(error.sequence)
    if (bytes === undefined) return
    const tries = await countTry(this.#store, take, error.sequence, bytes, wordsOf(cause))
    if (tries >= MOST_TRIES) this.#log.error({ take, record: error.sequence }, 'record set aside')
  }

  /** Games of the first version of the protocol would take it for an acknowledgement. */
  #note(note: string): void {
    if (this.#socket.protocol === INGEST_PROTOCOL) this.#say({ type: 'note', note })
    this.#log.warn({ take: this.takeId }, note.slice(0, 600))
  }

  #say(message: IngestMessage): void {
    if (this.#socket.readyState === this.#socket.OPEN) this.#socket.send(JSON.stringify(message))
  }
}

/** Like setInterval, but never begins `work` while it is still at it: a hung database must not pile it up. */
function oneAtATime(everyMs: number, work: () => Promise<void>): ReturnType<typeof setInterval> {
  let isBusy = false
  return setInterval(() => {
    if (isBusy) return
    isBusy = true
    // What fails here is told by what watches over the database.
    void work()
      .catch(() => {})
      .finally(() => (isBusy = false))
  }, everyMs)
}
