/** The recording streams: one WebSocket, one take. What comes is handed to the thread that stores it. */
import { once } from 'node:events'
import { MessageChannel, type MessagePort } from 'node:worker_threads'
import { INGEST_PROTOCOL, type IngestMessage } from '@lapsus/core/format'
import type { Logger } from 'pino'
import type { WebSocket } from 'ws'
import type { DatabaseHealth } from '../store/health.ts'
import { movable } from '../threads/byte-pipe.ts'
import type { RecordingAsk } from './recording.ts'
import { POLICY_VIOLATION, SIGN_OF_LIFE_MS, TRY_AGAIN, type Heard, type Told } from './recording-port.ts'

/** Received but unwritten bytes beyond which the socket is not read. */
const MOST_PENDING_BYTES = 16 * 1024 * 1024

/** Which games may stream over a connection; null for any. */
export type AllowedGame = string | null

/** Stores a recording on a thread; resolves when it has ended, rejects when the thread died. */
export type KeepsRecordings = (ask: RecordingAsk) => Promise<void>

export class IngestStreams {
  readonly #keep: KeepsRecordings
  readonly #health: DatabaseHealth
  readonly #log: Logger
  readonly #open = new Set<IngestStream>()

  constructor(keep: KeepsRecordings, health: DatabaseHealth, log: Logger) {
    this.#keep = keep
    this.#health = health
    this.#log = log
  }

  accept(socket: WebSocket, allowed: AllowedGame = null): void {
    const stream = new IngestStream(socket, this.#health, this.#log, (own, takeId) =>
      this.#endOthers(own, takeId),
    )
    this.#open.add(stream)
    void stream.run(this.#keep, allowed).finally(() => this.#open.delete(stream))
  }

  /** Says why nothing is recorded over a connection, and hangs up. */
  refuse(socket: WebSocket, message: string): void {
    const refused: IngestMessage = { type: 'refused', refused: { code: 'wrong-key', message } }
    socket.on('error', () => {})
    socket.send(JSON.stringify(refused))
    socket.close(POLICY_VIOLATION)
  }

  /** Those that are being recorded over a connection, the newest first. */
  get takes(): string[] {
    return [...this.#open].flatMap(({ takeId }) => takeId ?? []).reverse()
  }

  /** Stops reading, waits for what was received to be committed and acknowledged, and hangs up. */
  async stop(): Promise<void> {
    await Promise.all([...this.#open].map((stream) => stream.stop()))
  }

  async #endOthers(own: IngestStream, takeId: string): Promise<void> {
    const others = [...this.#open].filter((stream) => stream !== own && stream.takeId === takeId)
    await Promise.all(others.map((stream) => stream.cut()))
  }
}

class IngestStream {
  takeId: string | null = null
  readonly #socket: WebSocket
  readonly #health: DatabaseHealth
  readonly #log: Logger
  readonly #endOthers: (own: IngestStream, takeId: string) => Promise<void>
  readonly #port: MessagePort
  readonly #other: MessagePort
  #hasBegun = false
  #pendingBytes = 0
  #ended: Promise<void> = Promise.resolve()
  #makingReady: NodeJS.Timeout | undefined

  constructor(
    socket: WebSocket,
    health: DatabaseHealth,
    log: Logger,
    endOthers: (own: IngestStream, takeId: string) => Promise<void>,
  ) {
    this.#socket = socket
    this.#health = health
    this.#log = log
    this.#endOthers = endOthers
    const { port1, port2 } = new MessageChannel()
    this.#port = port1
    this.#other = port2
    // One piece of memory for each message, that can be handed over.
    socket.binaryType = 'arraybuffer'
    socket.on('message', (data: ArrayBuffer | Buffer) => this.#receive(new Uint8Array(data)))
    socket.on('error', (error) => log.warn({ error: error.message }, 'recording stream failed'))
    socket.once('close', () => {
      clearInterval(this.#makingReady)
      this.#hear({ end: 'closed' })
    })
    this.#port.on('message', (told: Told) => this.#obey(told))
  }

  /** Resolves when the connection has ended, and everything received is dealt with. */
  run(keep: KeepsRecordings, allowed: AllowedGame): Promise<void> {
    const hearsNotes = this.#socket.protocol === INGEST_PROTOCOL
    if (hearsNotes)
      this.#makingReady = setInterval(() => this.#say(JSON.stringify({ type: 'wait' })), SIGN_OF_LIFE_MS)
    // What the thread said last is heard before its port closes.
    const allHeard = once(this.#port, 'close')
    this.#ended = keep({ port: this.#other, allowed, hearsNotes })
      .catch((error: Error) => {
        // The game keeps what was not acknowledged, and tries again: on another thread.
        this.#log.error({ take: this.takeId, err: error }, 'a recording lost its thread')
        this.#hangUp(TRY_AGAIN)
        this.#port.close()
      })
      .then(() => allHeard.then(() => {}))
    return this.#ended
  }

  async stop(): Promise<void> {
    this.#socket.pause()
    this.#hear({ end: 'stopping' })
    await this.#ended
  }

  /** Ends the connection without a word, and waits for what came over it. */
  async cut(): Promise<void> {
    this.#socket.terminate()
    await this.#ended
  }

  #hear(heard: Heard, moved: ArrayBuffer[] = []): void {
    this.#port.postMessage(heard, moved)
  }

  #receive(bytes: Uint8Array): void {
    if (!this.#hasBegun && !this.#health.mayStore) {
      // The game keeps its records and tries again.
      this.#hangUp(TRY_AGAIN)
      return
    }
    this.#hasBegun = true
    this.#pendingBytes += bytes.length
    if (this.#pendingBytes > MOST_PENDING_BYTES) this.#socket.pause()
    const own = movable(bytes)
    this.#hear({ bytes: own }, [own.buffer])
  }

  #obey(told: Told): void {
    clearInterval(this.#makingReady)
    if ('say' in told) this.#say(JSON.stringify(told.say))
    else if ('done' in told) {
      this.#pendingBytes -= told.done
      if (this.#pendingBytes <= MOST_PENDING_BYTES / 2 && this.#socket.isPaused) this.#socket.resume()
    } else if ('hangUp' in told) this.#hangUp(told.hangUp)
    else if ('stored' in told) this.#health.stored()
    else if ('full' in told) this.#health.full(told.full)
    else {
      this.takeId = told.begins
      void this.#endOthers(this, told.begins).then(() => this.#hear({ alone: true }))
    }
  }

  #say(text: string): void {
    if (this.#socket.readyState === this.#socket.OPEN) this.#socket.send(text)
  }

  #hangUp(code: number): void {
    // A paused socket would not see the closing handshake.
    if (this.#socket.isPaused) this.#socket.resume()
    this.#socket.close(code)
  }
}
