/** The recording stream: one WebSocket, one take. */
import {
  decodeRecord,
  FormatError,
  withPlace,
  type IngestMessage,
  type TakeRecord,
} from '@lapsus/core/format'
import type { Logger } from 'pino'
import type { Sequelize } from 'sequelize'
import type { WebSocket } from 'ws'
import { finishTake, touchTake } from './finish.ts'
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

export class IngestStreams {
  readonly #database: Sequelize
  readonly #log: Logger
  readonly #open = new Map<WebSocket, IngestStream>()

  constructor(database: Sequelize, log: Logger) {
    this.#database = database
    this.#log = log
  }

  accept(socket: WebSocket): void {
    const stream = new IngestStream(socket, this.#database, this.#log, (takeId) =>
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
  readonly #database: Sequelize
  readonly #log: Logger
  readonly #takeOver: (takeId: string) => Promise<void>
  readonly #touchTimer: ReturnType<typeof setInterval>
  readonly #wishTimer: ReturnType<typeof setInterval>
  #writer: TakeWriter | null = null
  #queue: Promise<void> = Promise.resolve()
  #pendingBytes = 0
  /** Number of the closing record, which is acknowledged when the take is closed. */
  #lastOfAll = -1
  #place = { record: 0, offset: 0 }
  #broken = false

  constructor(
    socket: WebSocket,
    database: Sequelize,
    log: Logger,
    takeOver: (takeId: string) => Promise<void>,
  ) {
    this.#socket = socket
    this.#database = database
    this.#log = log
    this.#takeOver = takeOver
    this.#touchTimer = setInterval(() => {
      if (this.#writer !== null)
        void touchTake(this.#writer.takeId).catch((error) => log.warn(error, 'touch failed'))
    }, TOUCH_EVERY_MS)
    this.#wishTimer = setInterval(
      () => void this.#passOnWish().catch((error) => log.warn(error, 'could not read a wish')),
      WISH_EVERY_MS,
    )
    socket.on('message', (data: Buffer) => this.#receive(data))
    socket.on('error', (error) => log.warn({ error: error.message }, 'recording stream failed'))
    socket.once('close', () => {
      clearInterval(this.#touchTimer)
      clearInterval(this.#wishTimer)
    })
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
    if (record.record === 'end') this.#lastOfAll = record.sequence
    try {
      await writer.write(record)
    } catch (error) {
      throw withPlace(error, place)
    }
    if (record.record === 'end') {
      await writer.settled()
      await finishTake(writer.takeId, 'complete')
      this.#say({ ack: record.sequence })
    } else {
      // A commit may fail when no further record comes to notice it.
      void writer.settled().catch((error: Error) => this.#fail(error))
    }
  }

  async #begin(record: TakeRecord): Promise<void> {
    await this.#takeOver(record.take)
    this.#writer = await TakeWriter.open(this.#database, record, (ack) => {
      // Whoever hears that the end is committed may ask for the take's figures at once.
      if (ack !== this.#lastOfAll) this.#say({ ack })
    })
    this.#log.info({ take: record.take, game: record.game, from: this.#writer.lastSequence }, 'recording')
    this.#say({ ack: this.#writer.lastSequence })
  }

  async #passOnWish(): Promise<void> {
    const take = this.takeId
    const wish = take === null || this.#broken ? null : await takeWish(take)
    if (wish === null) return
    this.#log.info({ take, wish }, 'somebody wishes')
    if (wish.order !== 'discard') {
      this.#say(wish)
      return
    }
    this.#broken = true
    this.#say({ refused: { code: 'discarded', message: 'somebody discarded the recording' } })
    this.#hangUp(POLICY_VIOLATION)
  }

  async #fail(error: Error): Promise<void> {
    if (this.#broken) return
    this.#broken = true
    const take = this.takeId
    if (error instanceof FormatError) {
      // What came before the bad record is good, and may still be under way.
      await this.#writer?.settled().catch(() => {})
      this.#log.warn({ take, code: error.code, place: error.place }, error.message)
      this.#say({ refused: { code: error.code, message: error.message } })
      this.#hangUp(POLICY_VIOLATION)
      if (take !== null) await finishTake(take, 'cut-short')
    } else {
      // The game keeps what was not acknowledged and tries again.
      if (error instanceof StaleWriter) this.#log.warn({ take }, error.message)
      else this.#log.error({ take, err: error }, 'could not store a record')
      this.#hangUp(TRY_AGAIN)
    }
  }

  #say(message: IngestMessage): void {
    if (this.#socket.readyState === this.#socket.OPEN) this.#socket.send(JSON.stringify(message))
  }
}
