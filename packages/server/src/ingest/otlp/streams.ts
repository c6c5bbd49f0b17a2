/** Games that send themselves as OpenTelemetry traces: one take for each service instance. */
import { randomUUID } from 'node:crypto'
import { OtlpTake, readOtlp, Skipped, type OtlpResource } from '@lapsus/core/exchange'
import type { AnyRecord } from '@lapsus/core/format'
import type { Logger } from 'pino'

import { touchTake } from '../finish.ts'
import type { Store } from '../../store/store.ts'
import { RecordStore } from '../store-records.ts'
import { takeWish } from '../wishes.ts'

/** A service that has sent nothing for this long has ended. */
const IDLE_MS = 10_000
/** After a shorter silence, frames that wait for others are stored. */
const PAUSE_MS = 1_500
const SWEEP_EVERY_MS = 500
/** Instances at once: what an instance is called comes from outside. */
const MOST_STREAMS = 64

interface Stream {
  take: OtlpTake
  records: RecordStore
  lastMs: number
  /** Requests of one stream are dealt with one after the other. */
  queue: Promise<void>
}

export class OtlpStreams {
  readonly #store: Store
  readonly #log: Logger
  readonly #streams = new Map<string, Stream>()
  /** Instances whose recording somebody ended, with the time they last sent: they go on, since nothing tells them. */
  readonly #ended = new Map<string, number>()
  readonly #sweep: ReturnType<typeof setInterval>

  constructor(store: Store, log: Logger) {
    this.#store = store
    this.#log = log
    this.#sweep = setInterval(
      () => void this.#sweepIdle().catch((error) => log.warn(error, 'sweep failed')),
      SWEEP_EVERY_MS,
    )
  }

  /**
   * Takes one request in the shape of the JSON mapping. Resolves when the frames that it completes are
   * committed; its last frames wait a moment for requests that it may have overtaken.
   * @returns what was passed over
   */
  async take(request: unknown, frameMarker: string | undefined): Promise<Skipped> {
    const skipped = new Skipped()
    for (const resource of readOtlp(request, skipped, frameMarker)) {
      const key = `${resource.service}\n${resource.instance}`
      if (this.#ended.has(key)) {
        this.#ended.set(key, performance.now())
        skipped.add(`somebody ended this recording; it begins anew after ${IDLE_MS / 1000} s of silence`)
        continue
      }
      const stream = this.#streamOf(key, resource)
      if (stream === null) {
        skipped.add(`more than ${MOST_STREAMS} service instances at once`)
        continue
      }
      const done = stream.queue.then(() => this.#keep(stream, stream.take.add(resource.spans)))
      stream.queue = done.catch(() => {})
      try {
        await done
      } catch (error) {
        // What could not be stored once cannot be gone on with: the next request begins a take of its own.
        this.#streams.delete(key)
        throw error
      }
    }
    return skipped
  }

  /** Closes every take. */
  async stop(): Promise<void> {
    clearInterval(this.#sweep)
    await Promise.all([...this.#streams.keys()].map((key) => this.#end(key)))
  }

  #streamOf(key: string, resource: OtlpResource): Stream | null {
    const known = this.#streams.get(key)
    if (known !== undefined) {
      known.lastMs = performance.now()
      return known
    }
    if (this.#streams.size >= MOST_STREAMS) return null
    const stream: Stream = {
      take: new OtlpTake(randomUUID(), resource),
      records: new RecordStore(this.#store),
      lastMs: performance.now(),
      queue: Promise.resolve(),
    }
    this.#streams.set(key, stream)
    return stream
  }

  async #keep({ records: kept }: Stream, records: AnyRecord[]): Promise<void> {
    for (const record of records) await kept.put(record, { record: 0, offset: 0 })
    if (kept.takeId !== null) await touchTake(this.#store, kept.takeId)
  }

  async #sweepIdle(): Promise<void> {
    const now = performance.now()
    for (const [key, stream] of this.#streams) {
      if (now - stream.lastMs > IDLE_MS || (await this.#isUnwanted(stream))) {
        if (now - stream.lastMs <= IDLE_MS) this.#ended.set(key, now)
        await this.#end(key)
      } else if (now - stream.lastMs > PAUSE_MS) await this.#flush(stream)
    }
    for (const [key, lastMs] of this.#ended) if (now - lastMs > IDLE_MS) this.#ended.delete(key)
  }

  /** Whether somebody who watches wants the recording to end, kept or not. */
  async #isUnwanted({ records }: Stream): Promise<boolean> {
    const wish = records.takeId === null ? null : await takeWish(this.#store, records.takeId)
    return wish !== null && wish.order !== 'keep'
  }

  async #flush(stream: Stream): Promise<void> {
    stream.queue = stream.queue
      .then(() => this.#keep(stream, stream.take.flush()))
      .catch((error) => this.#log.error(error, 'could not store OpenTelemetry traces'))
    await stream.queue
  }

  async #end(key: string): Promise<void> {
    const stream = this.#streams.get(key)
    if (stream === undefined) return
    this.#streams.delete(key)
    try {
      await this.#flush(stream)
      const end = stream.take.end()
      if (end !== null) await this.#keep(stream, [end])
      await stream.records.finish(true)
      if (stream.take.outside > 0) {
        this.#log.warn(
          { take: stream.records.takeId, spans: stream.take.outside },
          'spans outside every frame',
        )
      }
    } catch (error) {
      this.#log.error(error, 'could not close a take of OpenTelemetry traces')
    }
  }
}
