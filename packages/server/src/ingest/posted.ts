/** Records that come in the body of a request: for games whose language has an HTTP client and no WebSocket. */
import { postedRecords } from '@lapsus/core/exchange'
import {
  encodeRecord,
  FormatError,
  leftOutNotes,
  locate,
  withPlace,
  type AnyRecord,
  type FollowingRecord,
  type FormatErrorPlace,
  type Order,
  type TakeRecord,
} from '@lapsus/core/format'
import type { Logger } from 'pino'
import { wordsOf } from '../log.ts'
import type { Store } from '../store/store.ts'
import { finishTake } from './finish.ts'
import { DiscardedTake, identify } from './identity.ts'
import { CommitFailure, countTry, isOfTheRecord, setAsideNote } from './set-aside.ts'
import { StaleWriter, TakeWriter } from './take-writer.ts'
import { repeatWish } from './wishes.ts'

const DISCARDED = { code: 'discarded', message: 'somebody discarded the recording' }
const BUSY = { code: 'busy', message: 'another request of this take is being stored' }
/** Two requests of one take may come at once: one of them begins again. */
const MOST_TRIES = 5

export interface PostedAsk {
  /** Identity of the take, as the address has it. */
  take: string
  bytes: Uint8Array
  /** Which game may record; null for any. */
  allowed: string | null
}

export interface Posted {
  /** All records up to this number are committed; null where the take is not known. */
  ack: number | null
  /** The chain after it; null where it is not known. */
  chain: number | null
  /** Why it is of no use to send the same again; null where all is well. */
  refused: { code: string; message: string } | null
  /** What somebody who watches wishes. */
  orders: Order[]
  notes: string[]
}

/** Stores the records of a request; resolves when they are committed. One that is stored already changes nothing. */
export async function takePosted(store: Store, log: Logger, ask: PostedAsk): Promise<Posted> {
  for (let tries = 1; ; tries++) {
    const request = new PostedRequest(store, log, ask)
    try {
      return await request.run()
    } catch (error) {
      if (!(error instanceof StaleWriter)) throw error
      if (tries < MOST_TRIES) continue
      return { ...(await committed(store, request.takeId)), refused: BUSY, orders: [], notes: [] }
    }
  }
}

/** What is stored of a take by now; of none where it is not known which it is. */
async function committed(store: Store, take: string | null): Promise<Pick<Posted, 'ack' | 'chain'>> {
  const row =
    take === null
      ? null
      : await store.takes.findByPk(take, { attributes: ['lastSequence', 'chain'], raw: true })
  if (row === null) return { ack: null, chain: null }
  return { ack: Number(row.lastSequence), chain: row.chain === null ? null : Number(row.chain) }
}

/** The key is that of another game. */
class WrongKey extends FormatError {
  constructor(game: string) {
    super('bad-field', `the key to be one of the game ${JSON.stringify(game)}`)
  }
}

function refusalOf(error: FormatError): { code: string; message: string } {
  if (error instanceof DiscardedTake) return DISCARDED
  return { code: error instanceof WrongKey ? 'wrong-key' : error.code, message: error.message }
}

class PostedRequest {
  readonly #store: Store
  readonly #log: Logger
  readonly #ask: PostedAsk
  readonly #notes: string[] = []
  /** What is not committed yet, by number: what cannot be stored is kept. */
  readonly #uncommitted = new Map<number, AnyRecord>()
  #writer: TakeWriter | null = null
  /** The take, where somebody has put it aside. */
  #deleted: string | null = null

  constructor(store: Store, log: Logger, ask: PostedAsk) {
    this.#store = store
    this.#log = log
    this.#ask = ask
  }

  async run(): Promise<Posted> {
    let refused: Posted['refused'] = null
    try {
      for (const { record, place, bytes } of postedRecords(this.#ask.bytes)) {
        if (record.record !== 'take') await this.#write(record, place, bytes)
        else await locate(place, () => this.#begin(record))
      }
      await this.#writer?.settled()
    } catch (error) {
      if (error instanceof CommitFailure) await this.#notStored(error)
      if (!(error instanceof FormatError)) throw error
      // What came before the bad record is good, and may still be under way.
      await this.#writer?.settled()
      if (error instanceof DiscardedTake) this.#deleted = this.#ask.take
      refused = refusalOf(error)
      this.#log.warn({ take: this.#ask.take, code: error.code }, error.message.slice(0, 600))
    }
    const wish = this.#writer === null ? null : await repeatWish(this.#store, this.#writer.takeId)
    if (wish?.order === 'discard') refused = DISCARDED
    return {
      ...(await this.#known()),
      refused,
      orders: wish === null || wish.order === 'discard' ? [] : [wish],
      notes: this.#notes,
    }
  }

  /** Where its records go; null before that is known. */
  get takeId(): string | null {
    return this.#writer?.takeId ?? this.#deleted
  }

  /** What has been committed, also where these records were not taken. */
  async #known(): Promise<Pick<Posted, 'ack' | 'chain'>> {
    if (this.#writer === null) return committed(this.#store, this.takeId)
    return { ack: this.#writer.lastSequence, chain: this.#writer.chain }
  }

  async #begin(record: TakeRecord): Promise<void> {
    const { take, allowed } = this.#ask
    if (record.take !== take)
      throw new FormatError('bad-field', `"take" to be ${take}, as in the address, got ${record.take}`)
    if (allowed !== null && allowed !== record.game) throw new WrongKey(record.game)
    const identity = await identify(this.#store, record)
    if (identity.note !== null) this.#notes.push(identity.note)
    this.#writer = await TakeWriter.goOn(
      this.#store,
      identity,
      (ack) => this.#uncommitted.delete(ack),
      record.leftOut,
    )
    this.#notes.push(...leftOutNotes(record.leftOut))
  }

  async #write(record: FollowingRecord, place: FormatErrorPlace, bytes: Uint8Array): Promise<void> {
    const writer = this.#writer!
    const why = writer.whySetAside(record.sequence)
    if (record.sequence > writer.lastSequence) {
      const told = leftOutNotes(record.leftOut).filter((note) => !this.#notes.includes(note))
      this.#notes.push(...told)
    }
    if (record.sequence > writer.lastSequence) this.#uncommitted.set(record.sequence, record)
    try {
      await writer.write(record, bytes)
    } catch (error) {
      throw withPlace(error, place)
    }
    if (why !== null) this.#notes.push(setAsideNote(record.sequence, why))
    if (record.record !== 'end') return
    await writer.settled()
    await finishTake(this.#store, writer.takeId, 'complete')
  }

  /** Where it is this one record and not the database, the try is counted: the last one sets the record aside. */
  async #notStored(failure: CommitFailure): Promise<void> {
    const { sequence } = failure
    const record = this.#uncommitted.get(sequence)
    if (record === undefined || !isOfTheRecord(failure)) return
    const reason = wordsOf(failure.cause as Error)
    await countTry(this.#store, this.#writer!.takeId, sequence, encodeRecord(record), reason)
  }
}
