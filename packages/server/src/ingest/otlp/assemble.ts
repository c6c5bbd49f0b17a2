/**
 * Puts the frames of one service instance together, on whichever server holds its lease. What has arrived is dealt with
 * in an order that is written down first, and kept until the take ends: a server that takes over does the same again,
 * and what is stored already changes nothing.
 */
import { deserialize } from 'node:v8'
import { inRows, OtlpTake, type OtlpResource } from '@lapsus/core/exchange'
import type { AnyRecord } from '@lapsus/core/format'
import type { Logger } from 'pino'
import { Op } from 'sequelize'
import { unpack } from '../../store/compression.ts'
import { Leases } from '../../store/lease.ts'
import type { Row, Store } from '../../store/store.ts'
import { touchTake } from '../finish.ts'
import { RecordStore } from '../store-records.ts'
import { takeWish } from '../wishes.ts'
import { IDLE_MS } from './arrive.ts'

/** After a shorter silence, frames that wait for others are stored. */
const PAUSE_MS = 1_500
const LOOK_EVERY_MS = 200
const TOUCH_EVERY_MS = 3_000

const leaseOf = (instanceHash: string): string => `traces ${instanceHash}`

/** Instances that nobody puts together now. */
export async function orphanedTraces(store: Store): Promise<string[]> {
  const [rows] = await store.database.query(
    `SELECT instance_hash AS instanceHash FROM trace_streams
     LEFT JOIN leases ON leases.name = CONCAT('traces ', instance_hash)
     WHERE leases.name IS NULL OR leases.until <= NOW(3)`,
  )
  return (rows as { instanceHash: string }[]).map(({ instanceHash }) => instanceHash)
}

/** Puts one instance together until it ends; does nothing where another server does. */
export async function assembleTraces(
  store: Store,
  log: Logger,
  instanceHash: string,
  isStopping: () => boolean,
): Promise<void> {
  const leases = new Leases(store.database)
  const lease = leaseOf(instanceHash)
  if (!(await leases.take(lease))) return
  try {
    const stream = await store.traceStreams.findByPk(instanceHash, { raw: true })
    if (stream !== null) await new Assembly(store, log, stream, () => leases.take(lease)).run(isStopping)
  } finally {
    await leases.letGo(lease)
  }
}

class Assembly {
  readonly #store: Store
  readonly #log: Logger
  readonly #stream: Row<'traceStreams'>
  readonly #renew: () => Promise<boolean>
  readonly #records: RecordStore
  #take: OtlpTake | null = null
  #position = 0
  /** Whether something has come since the last flush. */
  #isFresh = false
  #touchedMs = 0

  constructor(store: Store, log: Logger, stream: Row<'traceStreams'>, renew: () => Promise<boolean>) {
    this.#store = store
    this.#log = log
    this.#stream = stream
    this.#renew = renew
    this.#records = new RecordStore(store)
  }

  async run(isStopping: () => boolean): Promise<void> {
    const { instanceHash } = this.#stream
    while (!isStopping()) {
      if (!(await this.#stayOwner())) return
      const part = await this.#next()
      if (part !== null) {
        await this.#deal(part)
        continue
      }
      const row = await this.#store.traceStreams.findByPk(instanceHash, { raw: true })
      if (row === null) return
      const silentMs = Date.now() - row.lastAt.getTime()
      if (row.stoppedAt === null && (silentMs > IDLE_MS || (await this.#isUnwanted())))
        await this.#end(silentMs > IDLE_MS)
      else if (row.stoppedAt !== null && silentMs > IDLE_MS) await this.#forget()
      else if (silentMs > PAUSE_MS && this.#isFresh) await this.#append(null)
      else await new Promise((resolve) => setTimeout(resolve, LOOK_EVERY_MS))
    }
  }

  async #stayOwner(): Promise<boolean> {
    const now = performance.now()
    if (now - this.#touchedMs < TOUCH_EVERY_MS) return true
    this.#touchedMs = now
    if (this.#records.takeId !== null) await touchTake(this.#store, this.#records.takeId)
    return this.#renew()
  }

  /** What is to be dealt with next: what was before, or what has arrived, whose place is written down first. */
  async #next(): Promise<Row<'traceParts'> | null> {
    const { instanceHash } = this.#stream
    const at = (position: number | null) =>
      this.#store.traceParts.findOne({ where: { instanceHash, position }, order: [['id', 'ASC']], raw: true })
    const known = await at(this.#position + 1)
    if (known !== null) return known
    const arrived = await at(null)
    if (arrived === null) return null
    await this.#store.traceParts.update({ position: this.#position + 1 }, { where: { id: arrived.id } })
    return arrived
  }

  /** @param body null for: nothing came for a while */
  async #append(body: Buffer | null): Promise<void> {
    const { instanceHash } = this.#stream
    await this.#store.traceParts.create({ instanceHash, position: this.#position + 1, body })
  }

  async #deal({ body }: Row<'traceParts'>): Promise<void> {
    this.#position++
    this.#isFresh = body !== null
    if (body === null) {
      await this.#keep(this.#take?.flush() ?? [])
      return
    }
    const resource = deserialize(await unpack(body)) as OtlpResource
    this.#take ??= new OtlpTake(this.#stream.takeId, resource)
    await this.#keep(this.#take.add(inRows(resource)))
  }

  async #keep(records: readonly AnyRecord[]): Promise<void> {
    for (const record of records) await this.#records.put(record, { record: 0, offset: 0 })
    await this.#records.settled()
  }

  /** Whether somebody who watches wants the recording to end, kept or not. */
  async #isUnwanted(): Promise<boolean> {
    const { takeId } = this.#records
    const wish = takeId === null ? null : await takeWish(this.#store, takeId)
    return wish !== null && wish.order !== 'keep'
  }

  /** @param isSilent it has ended by itself; else it goes on, since nothing tells it, and is not heeded */
  async #end(isSilent: boolean): Promise<void> {
    const take = this.#take
    const { instanceHash } = this.#stream
    try {
      await this.#keep(take?.flush() ?? [])
      const end = take?.end() ?? null
      if (end !== null) await this.#keep([end])
      await this.#records.finish(true)
    } catch (error) {
      // A take that was discarded takes no more.
      this.#log.warn(
        { err: error, take: this.#records.takeId },
        'a take of OpenTelemetry traces did not end well',
      )
    }
    if (take !== null && take.outside > 0)
      this.#log.warn({ take: this.#records.takeId, spans: take.outside }, 'spans outside every frame')
    if (isSilent) await this.#forget()
    else {
      await this.#store.traceParts.destroy({ where: { instanceHash } })
      await this.#store.traceStreams.update({ stoppedAt: new Date() }, { where: { instanceHash } })
    }
  }

  /** Unless it has sent something after all. */
  async #forget(): Promise<void> {
    const { instanceHash } = this.#stream
    const silent = { instanceHash, lastAt: { [Op.lt]: new Date(Date.now() - IDLE_MS) } }
    await this.#store.traceStreams.destroy({ where: silent })
  }
}
