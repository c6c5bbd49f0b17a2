import { afterRefusal, INGEST_PROTOCOL, readIngestMessage, type Order } from '@lapsus/core/format'
import { safely } from '../given.ts'
import type { ProblemListener, Renew, Sink } from './sink.ts'
import { Unacknowledged } from './unacknowledged.ts'

/** What is used of a WebSocket, in the browser or in Node. */
export interface Socket {
  binaryType: string
  onopen: (() => void) | null
  onmessage: ((event: { data: unknown }) => void) | null
  onclose: (() => void) | null
  onerror: ((event: unknown) => void) | null
  send(data: Uint8Array): void
  close(): void
  /** Node: hangs up without the closing handshake. */
  terminate?(): void
}
export type Connect = (url: string, protocol: string) => Socket

/** Records that have not been acknowledged, with the take's own. */
export interface Undelivered {
  /** Null where the identity is the one that it began with. */
  take: string | null
  head: Uint8Array
  /** The server will never store it. */
  isRefused: boolean
  /** In order. */
  records: readonly { sequence: number; bytes: Uint8Array }[]
}

/**
 * Keeps what could not be delivered for another time.
 * @returns where it is, in words; null when it could not be kept
 */
export type Spool = (undelivered: Undelivered) => string | null

/** Refused: the server said that it will never commit it; dropped: that nobody wants it. */
export type Outcome = 'delivered' | 'refused' | 'dropped' | 'undelivered'

const FIRST_RETRY_MS = 250
const LONGEST_RETRY_MS = 4_000
/** Without a server, or without a sign of life from it, closing takes at most so long. */
const CLOSE_PATIENCE_MS = 1_800
/** While there are some, it may take so long in all. */
const LONGEST_CLOSE_MS = 10_000
const GOODBYE_MS = 200

/**
 * Sends records over a WebSocket and keeps each until the server says it is committed. After a
 * reconnect the server says what it has; the rest is sent again.
 */
export class WebSocketSink implements Sink {
  readonly #urls: readonly string[]
  /** Which of them; counts on. */
  #turn = 0
  readonly #connect: Connect
  readonly #mostBytes: number
  readonly #onProblem: ProblemListener
  readonly #spool: Spool | null
  #head: Uint8Array | null = null
  /** Of the take that goes on with the first. */
  #take: string | null = null
  readonly #records = new Unacknowledged()
  #renew: Renew | null = null
  #socket: Socket | null = null
  /** The server has said what it has: records may be sent as they come. */
  #ready = false
  #isOpen = false
  /** The last record given to the present connection. */
  #sent = 0
  #sendTimer: ReturnType<typeof setTimeout> | undefined
  #over = false
  #isClosing = false
  #isLeaving = false
  #outcome: Outcome = 'undelivered'
  #retryMs = FIRST_RETRY_MS
  #retryTimer: ReturnType<typeof setTimeout> | undefined
  readonly #told = new Set<string>()
  #lastNewsMs = 0
  #orderListener: ((order: Order) => void) | null = null

  /**
   * @param urls good addresses: one is used until it fails, then the next
   * @param mostBytes unacknowledged bytes beyond which frames are left out
   * @param spool given what is left when the sink is closed; null where nothing can be kept
   */
  constructor(
    urls: readonly string[],
    connect: Connect,
    mostBytes: number,
    onProblem: ProblemListener,
    spool: Spool | null = null,
  ) {
    this.#urls = urls
    this.#connect = connect
    this.#mostBytes = mostBytes
    this.#onProblem = onProblem
    this.#spool = spool
  }

  get #url(): string {
    return this.#urls[this.#turn % this.#urls.length]!
  }

  onOrder(listener: (order: Order) => void): void {
    this.#orderListener = listener
  }

  onBehind(renew: Renew): void {
    this.#renew = renew
  }

  hasRoom(): boolean {
    return this.#records.bytes < this.#mostBytes && !this.#over
  }

  /** Whether everything that was taken is committed. */
  get isDrained(): boolean {
    return this.#records.waiting.length === 0
  }

  /** After the end: what became of what was taken. */
  get outcome(): Outcome {
    return this.#outcome
  }

  put(bytes: Uint8Array, sequence: number): void {
    if (this.#over) return
    if (sequence === 0) {
      this.#head = bytes
      this.#open()
      return
    }
    this.#records.put(sequence, bytes)
    // Masking and writing half a megabyte takes ms: that is for when the game has given its thread away.
    this.#sendTimer ??= unheld(setTimeout(() => this.#sendNew(), 0))
  }

  /**
   * Gives everything to the connection at once: the last moment of a page. A server that has not said yet what it has
   * is busy beginning: it takes the records in turn behind the take's own, and what it has already changes nothing.
   */
  flushNow(): void {
    if (this.#socket !== null && this.#isOpen) this.#ready = true
    this.#sendNew()
  }

  /** Sends what this connection has not been given yet. */
  #sendNew(): void {
    this.#sendTimer = undefined
    if (!this.#ready || this.#socket === null) return
    for (const { sequence, bytes } of this.#records.waiting) {
      if (sequence <= this.#sent) continue
      const socket = this.#socket
      // A connection that has just broken is noticed by its end.
      if (!safely(() => (socket.send(bytes), true), false)) return
      this.#sent = sequence
    }
  }

  async close(): Promise<void> {
    const beganMs = performance.now()
    this.#lastNewsMs = beganMs
    this.#isClosing = true
    // A server that is back is not waited for: the next try may be seconds away.
    if (this.#retryTimer !== undefined && this.#socket === null) this.#tryAgainIn(0)
    while (!this.isDrained && !this.#over) {
      const nowMs = performance.now()
      if (nowMs - this.#lastNewsMs > CLOSE_PATIENCE_MS || nowMs - beganMs > LONGEST_CLOSE_MS) break
      // A timer that holds the process: it is being closed in good order.
      await new Promise((resolve) => setTimeout(resolve, 10))
    }
    this.closeNow()
  }

  /** For the process's last moment, when nothing asynchronous runs any more. */
  closeNow(): void {
    if (!this.#over) {
      if (this.isDrained) this.#outcome = 'delivered'
      else if (this.#head !== null) this.#keepOrTell()
    }
    this.#end()
  }

  /** @returns what became of the records that are left, in words; '' where there are none */
  #kept(isRefused = false): string {
    const { waiting } = this.#records
    const { length } = waiting
    if (length === 0 || this.#head === null) return ''
    const undelivered = { take: this.#take, head: this.#head, isRefused, records: waiting }
    const where = safely(() => this.#spool?.(undelivered) ?? null, null)
    const records = length === 1 ? 'the last record' : `the last ${length} records`
    if (where === null) return `${records} could not be kept`
    const kept = `${records} ${length === 1 ? 'is' : 'are'} kept in ${where}`
    return isRefused ? kept : `${kept} and sent next time`
  }

  #keepOrTell(): void {
    // Which of them it will have been to nobody can tell.
    const who = this.#urls.length === 1 ? this.#url : `none of ${this.#urls.join(', ')}`
    const said = this.#urls.length === 1 ? 'has not' : 'has'
    this.#onProblem(`Lapsus: ${who} ${said} acknowledged all: ${this.#kept()}`)
  }

  #open(): void {
    let socket: Socket
    try {
      socket = this.#connect(this.#url, INGEST_PROTOCOL)
      socket.binaryType = 'arraybuffer'
    } catch (error) {
      this.#tell(`Lapsus: cannot connect to ${this.#url}: ${safely(() => (error as Error).message, '')}`)
      this.#end()
      return
    }
    socket.onopen = () => {
      this.#lastNewsMs = performance.now()
      this.#isOpen = true
      this.#sent = 0
      safely(() => socket.send(this.#head!), undefined)
    }
    socket.onmessage = (event) => this.#receive(event.data)
    socket.onerror = (event) => this.#explain(event)
    socket.onclose = () => this.#lost(socket)
    this.#socket = socket
  }

  /** Node says why there is no connection; a browser does not. An older server says so before there is a stream. */
  #explain(event: unknown): void {
    const message = safely(() => (event as { message?: unknown }).message, undefined)
    if (typeof message === 'string' && message.includes('401'))
      this.#refused('wrong-key', 'it asks for an ingest key: give "key", or LAPSUS_KEY')
  }

  #receive(data: unknown): void {
    const message = typeof data === 'string' ? readIngestMessage(data) : null
    // What is not understood is no acknowledgement.
    if (message === null) {
      this.#tell(`Lapsus: ${this.#url} says something that this probe does not know; it is not heeded`)
      return
    }
    if (message.type === 'refused') this.#refused(message.refused.code, message.refused.message)
    else if (message.type === 'order') this.#orderListener?.(message)
    else if (message.type === 'wait') this.#lastNewsMs = performance.now()
    else if (message.type === 'note') this.#onProblem(`Lapsus: ${message.note.slice(0, 1_000)}`)
    else this.#acknowledged(message.ack, message.chain)
  }

  /** What a refusal means is in docs/format.md, "Answers". */
  #refused(code: string, message: string): void {
    if (this.#over) return
    const meant = afterRefusal(code)
    // What an earlier run left cannot begin anew: what stood before it is gone.
    const then = meant === 'back' && this.#renew === null ? 'set-aside' : meant
    const why = message.slice(0, 1_000)
    if (then === 'again' || then === 'back') {
      this.#tell(`Lapsus: ${this.#url} does not take what is recorded: ${why}; records are kept`)
      this.#leave()
      return
    }
    const kept = then === 'drop' ? '' : this.#kept(then === 'set-aside')
    this.#outcome = then === 'drop' ? 'dropped' : then === 'set-aside' ? 'refused' : 'undelivered'
    this.#onProblem(`Lapsus: the recording ends: ${why}${kept === '' ? '' : `; ${kept}`}`)
    this.#end()
  }

  #acknowledged(ack: number, chain: number | undefined): void {
    this.#lastNewsMs = performance.now()
    const heard = this.#records.acknowledged(ack, chain, this.#ready, performance.now())
    if (heard === 'never sent') {
      this.#onProblem(
        `Lapsus: the recording ends: ${this.#url} has another under the same identity; ${this.#kept() || 'nothing is left'}`,
      )
      this.#end()
      return
    }
    if (heard === 'behind') {
      this.#goOnAnew()
      return
    }
    if (!this.#ready) {
      this.#ready = true
      this.#retryMs = FIRST_RETRY_MS
      this.#sent = ack
      this.#sendNew()
    }
  }

  /** The server has less than it had acknowledged, or something else: what is left is a take of its own. */
  #goOnAnew(): void {
    if (this.#renew === null) {
      this.#refused('out-of-sequence', 'the server has less than it had acknowledged')
      return
    }
    const renewed = this.#records.renew(this.#renew)
    this.#take = renewed.take
    this.#head = renewed.head
    this.#tell(
      `Lapsus: ${this.#url} has less than it had acknowledged, or something else: the recording goes on as take ${renewed.take}`,
    )
    this.#leave()
  }

  /** Hangs up, and connects again. */
  #leave(): void {
    const socket = this.#socket
    if (socket === null) return
    safely(() => socket.close(), undefined)
    this.#isLeaving = true
    this.#lost(socket)
    this.#isLeaving = false
  }

  #lost(socket: Socket): void {
    if (socket !== this.#socket) return
    this.#socket = null
    this.#ready = this.#isOpen = false
    if (this.#over) return
    if (!this.#isLeaving) this.#tell(`Lapsus: no connection to ${this.#url}; trying again`)
    // The next is tried soon; once all have failed it takes longer.
    const isNext = ++this.#turn % this.#urls.length > 0
    this.#tryAgainIn(this.#isClosing || isNext ? FIRST_RETRY_MS : this.#retryMs)
    if (!isNext) this.#retryMs = Math.min(this.#retryMs * 2, LONGEST_RETRY_MS)
  }

  #tryAgainIn(ms: number): void {
    clearTimeout(this.#retryTimer)
    this.#retryTimer = unheld(setTimeout(() => this.#open(), ms))
  }

  /** Each message once. */
  #tell(message: string): void {
    if (this.#told.has(message)) return
    this.#told.add(message)
    this.#onProblem(message)
  }

  #end(): void {
    this.#over = true
    clearTimeout(this.#retryTimer)
    clearTimeout(this.#sendTimer)
    this.#records.clear()
    const socket = this.#socket
    if (socket === null) return
    safely(() => socket.close(), undefined)
    // A server that does not answer the goodbye must not hold the process.
    if (socket.terminate !== undefined)
      unheld(setTimeout(() => safely(() => socket.terminate!(), undefined), GOODBYE_MS))
  }
}

/** In Node a timer would keep the process alive. */
function unheld<T>(timer: T): T {
  ;(timer as { unref?: () => void }).unref?.()
  return timer
}
