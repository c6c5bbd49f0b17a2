/** Keeps the last seconds in the game's memory and sends them only when something trips. */
import type { Stretch } from '@lapsus/core/format'
import type { ChunkContent, TakeStream } from './take-stream.ts'

/** What makes the probe keep the seconds around it. */
export interface Tripwires {
  /** A frame that lasts longer than this, ms. */
  frameMs?: number
  /** A run that lasts longer than this, ms, by the marker's name. */
  markers?: Record<string, number>
  /** Moments by name. */
  moments?: readonly string[]
}

/** Where chunks go once they are whole. */
export interface Outlet {
  /** @param stretch which begins with it; null for none */
  put(chunk: ChunkContent, stretch: Stretch | null): void
  /** Something tripped: keep what there is, and what comes next. @param atNs when, since the take's start */
  trip(cause: string, atNs: number): void
  /** Sends what is to be sent before the take ends. */
  finish(): void
}

export class SendAll implements Outlet {
  readonly #stream: TakeStream

  constructor(stream: TakeStream) {
    this.#stream = stream
  }

  put(chunk: ChunkContent, stretch: Stretch | null): void {
    this.#stream.send(chunk, stretch)
  }

  trip(): void {}
  finish(): void {}
}

/** Seconds that are kept after a trip, as a share of those before. */
const AFTER_SHARE = 0.2

export class KeepLast implements Outlet {
  readonly #stream: TakeStream
  readonly #keepNs: number
  readonly #ring: { chunk: ChunkContent; stretch: Stretch | null }[] = []
  /** Given from a trip until the first chunk of its stretch is sent. */
  #stretch: Stretch | null = null
  /** Chunks that begin before this belong to the stretch; −Infinity between stretches. */
  #untilNs = -Infinity

  /** @param keepS seconds before a trip */
  constructor(stream: TakeStream, keepS: number) {
    this.#stream = stream
    this.#keepNs = keepS * 1e9
  }

  trip(cause: string, atNs: number): void {
    // What trips again while its seconds are being kept makes the stretch longer, not another one.
    if (this.#untilNs === -Infinity) this.#stretch = { cause, at: new Date().toISOString() }
    this.#untilNs = Math.max(this.#untilNs, atNs + this.#keepNs * AFTER_SHARE)
  }

  put(chunk: ChunkContent, stretch: Stretch | null): void {
    const startNs = chunk.frameStartNs[0] ?? 0
    while (this.#ring.length > 0 && endOf(this.#ring[0]!.chunk) <= startNs - this.#keepNs) this.#ring.shift()
    this.#ring.push({ chunk, stretch })
    if (startNs < this.#untilNs) this.#sendRing()
    else this.#untilNs = -Infinity
  }

  finish(): void {
    if (this.#stretch !== null) this.#sendRing()
  }

  #sendRing(): void {
    for (const { chunk, stretch } of this.#ring.splice(0)) {
      this.#stream.send(chunk, this.#stretch ?? stretch)
      this.#stretch = null
    }
  }
}

const endOf = ({ frameStartNs, frameDurationNs }: ChunkContent): number =>
  (frameStartNs.at(-1) ?? 0) + (frameDurationNs.at(-1) ?? 0)
