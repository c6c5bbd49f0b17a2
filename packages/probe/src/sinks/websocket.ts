import { INGEST_PATH, type IngestMessage, type OrderMessage } from '@lapsus/core/format'
import type { ProblemListener, Sink } from './sink.ts'

/** What is used of a WebSocket, in the browser or in Node. */
export interface Socket {
  binaryType: string
  onopen: (() => void) | null
  onmessage: ((event: { data: unknown }) => void) | null
  onclose: (() => void) | null
  onerror: ((event: unknown) => void) | null
  send(data: Uint8Array): void
  close(): void
}
export type Connect = (url: string) => Socket

const FIRST_RETRY_MS = 250
const LONGEST_RETRY_MS = 4_000
const CLOSE_PATIENCE_MS = 10_000

interface Waiting {
  sequence: number
  bytes: Uint8Array
}

/**
 * Sends records over a WebSocket and keeps each until the server says it is committed. After a
 * reconnect the server says what it has; the rest is sent again.
 */
export class WebSocketSink implements Sink {
  readonly #url: string
  readonly #connect: Connect
  readonly #mostBytes: number
  readonly #onProblem: ProblemListener
  #head: Uint8Array | null = null
  #unacknowledged: Waiting[] = []
  #bytes = 0
  #socket: Socket | null = null
  /** The server has said what it has: records may be sent as they come. */
  #ready = false
  /** The last record given to the present connection. */
  #sent = 0
  #sendTimer: ReturnType<typeof setTimeout> | undefined
  #over = false
  #retryMs = FIRST_RETRY_MS
  #retryTimer: ReturnType<typeof setTimeout> | undefined
  #warned = false
  #whenDrained: (() => void) | null = null
  #orderListener: ((order: OrderMessage) => void) | null = null

  /** @param mostBytes unacknowledged bytes beyond which frames are left out */
  constructor(url: string, connect: Connect, mostBytes: number, onProblem: ProblemListener) {
    const address = new URL(url)
    if (address.pathname === '/') address.pathname = INGEST_PATH
    this.#url = address.href
    this.#connect = connect
    this.#mostBytes = mostBytes
    this.#onProblem = onProblem
  }

  onOrder(listener: (order: OrderMessage) => void): void {
    this.#orderListener = listener
  }

  hasRoom(): boolean {
    return this.#bytes < this.#mostBytes && !this.#over
  }

  put(bytes: Uint8Array, sequence: number): void {
    if (this.#over) return
    if (sequence === 0) {
      this.#head = bytes
      this.#open()
      return
    }
    this.#unacknowledged.push({ sequence, bytes })
    this.#bytes += bytes.length
    // Masking and writing half a megabyte takes ms: that is for when the game has given its thread away.
    this.#sendTimer ??= setTimeout(() => this.#sendNew(), 0)
  }

  /** Sends what this connection has not been given yet. */
  #sendNew(): void {
    this.#sendTimer = undefined
    if (!this.#ready) return
    for (const { sequence, bytes } of this.#unacknowledged) {
      if (sequence <= this.#sent) continue
      this.#socket!.send(bytes)
      this.#sent = sequence
    }
  }

  async close(): Promise<void> {
    if (this.#unacknowledged.length > 0 && !this.#over) {
      let timer: ReturnType<typeof setTimeout> | undefined
      await Promise.race([
        new Promise<void>((resolve) => (this.#whenDrained = resolve)),
        new Promise<void>((resolve) => (timer = setTimeout(resolve, CLOSE_PATIENCE_MS))),
      ])
      clearTimeout(timer)
      if (this.#unacknowledged.length > 0 && !this.#over) {
        this.#onProblem(
          `Lapsus: ${this.#unacknowledged.length} records could not be delivered to ${this.#url}`,
        )
      }
    }
    this.#end()
  }

  #open(): void {
    let socket: Socket
    try {
      socket = this.#connect(this.#url)
    } catch (error) {
      this.#onProblem(`Lapsus: cannot connect to ${this.#url}: ${(error as Error).message}`)
      this.#end()
      return
    }
    socket.binaryType = 'arraybuffer'
    socket.onopen = () => socket.send(this.#head!)
    socket.onmessage = (event) => this.#receive(String(event.data))
    socket.onerror = () => {}
    socket.onclose = () => this.#lost(socket)
    this.#socket = socket
  }

  #receive(text: string): void {
    const message = JSON.parse(text) as IngestMessage
    if ('refused' in message) {
      this.#onProblem(`Lapsus: the server refused the recording: ${message.refused.message}`)
      this.#end()
      return
    }
    if ('order' in message) {
      this.#orderListener?.(message)
      return
    }
    const kept = this.#unacknowledged.findIndex((waiting) => waiting.sequence > message.ack)
    const done = this.#unacknowledged.splice(0, kept === -1 ? this.#unacknowledged.length : kept)
    for (const { bytes } of done) this.#bytes -= bytes.length
    if (!this.#ready) {
      this.#ready = true
      this.#retryMs = FIRST_RETRY_MS
      this.#sent = message.ack
      this.#sendNew()
    }
    if (this.#unacknowledged.length === 0) this.#whenDrained?.()
  }

  #lost(socket: Socket): void {
    if (socket !== this.#socket) return
    this.#socket = null
    this.#ready = false
    if (this.#over) return
    if (!this.#warned) this.#onProblem(`Lapsus: no connection to ${this.#url}; trying again`)
    this.#warned = true
    this.#retryTimer = setTimeout(() => this.#open(), this.#retryMs)
    this.#retryMs = Math.min(this.#retryMs * 2, LONGEST_RETRY_MS)
  }

  #end(): void {
    this.#over = true
    clearTimeout(this.#retryTimer)
    clearTimeout(this.#sendTimer)
    this.#unacknowledged = []
    this.#bytes = 0
    this.#socket?.close()
    this.#whenDrained?.()
  }
}
