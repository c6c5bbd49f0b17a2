/** The recording of one take, on the thread that stores it; what the game sends comes through a port. */
import type { MessagePort } from 'node:worker_threads'
import {
  decodeRecord,
  FormatError,
  leftOutNotes,
  withPlace,
  type AnyRecord,
  type IngestMessage,
  type TakeRecord,
} from '@lapsus/core/format'
import type { Logger } from 'pino'
import { atIntervals } from '../at-intervals.ts'
import { failureKind } from '../store/failure.ts'
import { wordsOf } from '../log.ts'
import type { Store } from '../store/store.ts'
import { finishTake, touchTake } from './finish.ts'
import { identify } from './identity.ts'
import {
  GOING_AWAY,
  POLICY_VIOLATION,
  SIGN_OF_LIFE_MS,
  TRY_AGAIN,
  type Heard,
  type Told,
} from './recording-port.ts'
import { CommitFailure, countTry, isOfTheRecord, MOST_TRIES, setAsideNote } from './set-aside.ts'
import { StaleWriter, TakeWriter } from './take-writer.ts'
import { takeWish } from './wishes.ts'

const TOUCH_EVERY_MS = 5_000
const WISH_EVERY_MS = 500

export interface RecordingAsk {
  port: MessagePort
  /** Which game may record; null for any. */
  allowed: string | null
  /** Whether the game understands notes. */
  hearsNotes: boolean
}

/** Stores what comes through the port until it ends; resolves when all of it is dealt with. */
export async function keepRecording(store: Store, log: Logger, ask: RecordingAsk): Promise<void> {
  await new Recording(store, log, ask).ended
}

class Recording {
  /** Resolves when the connection has ended and everything received is dealt with. */
  readonly ended: Promise<void>
  readonly #port: MessagePort
  readonly #store: Store
  readonly #log: Logger
  readonly #ask: RecordingAsk
  #writer: TakeWriter | null = null
  #queue: Promise<void> = Promise.resolve()
  /** Bytes of the records that are not committed yet, by number: what cannot be stored is kept as it came. */
  readonly #uncommitted = new Map<number, Uint8Array>()
  /** Number of the closing record, which is acknowledged when the take is closed. */
  #lastOfAll = -1
  /** Messages that are not dealt with yet. */
  #waiting = 0
  #place = { record: 0, offset: 0 }
  #broken = false
  readonly #toldLeftOut = new Set<string>()
  #nowAlone = () => {}

  constructor(store: Store, log: Logger, ask: RecordingAsk) {
    this.#store = store
    this.#log = log
    this.#ask = ask
    this.#port = ask.port
    const timers = [
      atIntervals(TOUCH_EVERY_MS, async () => {
        if (this.#writer !== null) await touchTake(this.#store, this.#writer.takeId)
      }),
      atIntervals(WISH_EVERY_MS, () => this.#passOnWish()),
      atIntervals(SIGN_OF_LIFE_MS, () => this.#giveSignOfLife()),
    ]
    this.ended = new Promise<void>((resolve) => {
      const end = async () => {
        await this.#idle()
        timers.forEach(clearInterval)
        this.#port.close()
        resolve()
      }
      this.#port.on('message', (heard: Heard) => {
        if ('bytes' in heard) this.#receive(heard.bytes)
        else if ('alone' in heard) this.#nowAlone()
        else {
          if (heard.end === 'stopping') this.#queue = this.#queue.then(() => this.#stop())
          void end()
        }
      })
      // The server's own thread has gone away without a word.
      this.#port.on('close', () => void end())
    })
  }

  get takeId(): string | null {
    return this.#writer?.takeId ?? null
  }

  #tell(told: Told): void {
    this.#port.postMessage(told)
  }

  /** Resolves once everything received so far is dealt with. */
  async #idle(): Promise<void> {
    await this.#queue
    await this.#writer?.settled().catch(() => {})
  }

  async #stop(): Promise<void> {
    await this.#writer?.settled().catch(() => {})
    this.#broken = true
    this.#tell({ hangUp: GOING_AWAY })
  }

  #receive(bytes: Uint8Array): void {
    this.#waiting++
    this.#queue = this.#queue.then(async () => {
      try {
        if (!this.#broken) await this.#take(bytes)
      } catch (error) {
        await this.#fail(error as Error).catch((failure) => this.#log.error(failure, 'could not close take'))
      }
      this.#waiting--
      this.#tell({ done: bytes.length })
    })
  }

  async #take(bytes: Uint8Array): Promise<void> {
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
    // What is sent again changes nothing.
    if (sequence > writer.lastSequence) this.#uncommitted.set(sequence, bytes)
    const why = writer.whySetAside(sequence)
    try {
      await writer.write(record, bytes)
    } catch (error) {
      throw withPlace(error, place)
    }
    if (why !== null) this.#note(setAsideNote(sequence, why))
    this.#tellLeftOut(record)
    if (record.record === 'end') {
      await writer.settled()
      await finishTake(this.#store, writer.takeId, 'complete')
      this.#acknowledge(sequence, writer.chain)
    } else {
      // A commit may fail when no further record comes to notice it.
      void writer.settled().catch((error: Error) => this.#fail(error))
    }
  }

  async #begin(record: TakeRecord): Promise<void> {
    const { allowed } = this.#ask
    if (allowed !== null && allowed !== record.game) {
      this.#refuse('wrong-key', `the ingest key is not one of the game ${JSON.stringify(record.game)}`)
      return
    }
    const { row, isNew, note } = await identify(this.#store, record)
    await this.#alone(row.id)
    await row.reload()
    this.#writer = await TakeWriter.goOn(
      this.#store,
      { row, isNew },
      (ack, chain) => {
        this.#uncommitted.delete(ack)
        this.#tell({ stored: true })
        // Whoever hears that the end is committed may ask for the take's figures at once.
        if (ack !== this.#lastOfAll) this.#acknowledge(ack, chain)
      },
      record.leftOut,
    )
    this.#tellLeftOut(record)
    this.#log.info({ take: row.id, game: record.game, from: this.#writer.lastSequence }, 'recording')
    if (note !== null) this.#note(note)
    this.#acknowledge(this.#writer.lastSequence, this.#writer.chain)
  }

  /** A game that reconnects may be faster than the news of its old connection's end. */
  async #alone(takeId: string): Promise<void> {
    const isAlone = new Promise<void>((resolve) => (this.#nowAlone = resolve))
    this.#tell({ begins: takeId })
    await isAlone
  }

  async #passOnWish(): Promise<void> {
    const take = this.takeId
    const wish = take === null || this.#broken ? null : await takeWish(this.#store, take)
    if (wish === null) return
    this.#log.info({ take, wish: wish.order }, 'somebody wishes')
    if (wish.order !== 'discard') this.#say({ type: 'order', ...wish })
    else this.#refuse('discarded', 'somebody discarded the recording')
  }

  /** A commit may take longer than a game that ends waits in silence. */
  async #giveSignOfLife(): Promise<void> {
    if (!this.#ask.hearsNotes || this.#broken) return
    if (this.#waiting > 0 || this.#uncommitted.size > 0) this.#say({ type: 'wait' })
  }

  #refuse(code: string, message: string): void {
    this.#broken = true
    this.#say({ type: 'refused', refused: { code, message } })
    this.#tell({ hangUp: POLICY_VIOLATION })
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
    this.#tell({ hangUp: TRY_AGAIN })
  }

  /** Finds out whether the database is in trouble or this one record. */
  async #notStored(error: Error): Promise<void> {
    const take = this.takeId
    const cause = error instanceof CommitFailure ? (error.cause as Error) : error
    const kind = failureKind(cause)
    this.#log.error({ take, err: cause, kind }, error.message.slice(0, 600))
    if (kind === 'full') this.#tell({ full: wordsOf(cause) })
    if (!(error instanceof CommitFailure) || take === null || !isOfTheRecord(error)) return
    const bytes = this.#uncommitted.get(error.sequence)
    if (bytes === undefined) return
    const tries = await countTry(this.#store, take, error.sequence, bytes, wordsOf(cause))
    if (tries >= MOST_TRIES) this.#log.error({ take, record: error.sequence }, 'record set aside')
  }

  /** Each field once. */
  #tellLeftOut({ leftOut }: AnyRecord): void {
    for (const note of leftOutNotes(leftOut)) {
      const field = note.split('"', 2)[1]!
      if (!this.#toldLeftOut.has(field)) this.#note(note)
      this.#toldLeftOut.add(field)
    }
  }

  /** Games of the first version of the protocol would take it for an acknowledgement. */
  #note(note: string): void {
    if (this.#ask.hearsNotes) this.#say({ type: 'note', note })
    this.#log.warn({ take: this.takeId }, note.slice(0, 600))
  }

  #acknowledge(ack: number, chain: number | null): void {
    this.#say({ type: 'ack', ack, ...(chain === null ? {} : { chain }) })
  }

  #say(message: IngestMessage): void {
    this.#tell({ say: message })
  }
}
