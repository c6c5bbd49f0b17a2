/** How a worker's spans reach the probe that writes the take: over a channel named after the game. */
import type { LaneSpans } from '@lapsus/core/format'
import { SpanRecorder, type DeclaredMarker } from './span-recorder.ts'

/** Spans of a worker lane, with the markers declared so far; starts are ns since `timeOriginMs`. */
export interface LaneBatch {
  lane: string
  /** The thread's performance.timeOrigin: what aligns its clock with the main thread's. */
  timeOriginMs: number
  markers: DeclaredMarker[]
  spans: Omit<LaneSpans, 'lane' | 'count'>
  repaired: number
}

/** In Node the channel reaches the threads of this process; in a browser, those of this origin. */
const channelName = (game: string) => `lapsus lanes of ${game}`

/** Listens for lanes of `game` until the returned function is called. */
export function receiveLanes(game: string, onBatch: (batch: LaneBatch) => void): () => void {
  const channel = new BroadcastChannel(channelName(game))
  channel.onmessage = (event: MessageEvent | { data: unknown }) => onBatch(event.data as LaneBatch)
  // In Node an open channel would keep the process alive.
  ;(channel as { unref?: () => void }).unref?.()
  return () => channel.close()
}

/** A batch goes out when the outermost span closes, but no more often than this. */
const SHORTEST_GAP_MS = 2

/** Records spans on a worker thread and hands them to the main thread's probe of the same game. */
export class LaneProbe extends SpanRecorder {
  readonly #channel: BroadcastChannel
  readonly #name: string
  #lastPostMs = -Infinity

  constructor(game: string, name: string, markers: readonly DeclaredMarker[]) {
    super()
    this.#channel = new BroadcastChannel(channelName(game))
    ;(this.#channel as { unref?: () => void }).unref?.()
    this.#name = name
    for (const { name: marker, group, kind } of markers) this.marker(marker, { group, kind })
    this.on = true
  }

  override leave(): void {
    super.leave()
    if (this.depth === 0 && performance.now() - this.#lastPostMs >= SHORTEST_GAP_MS) this.#post()
  }

  close(): void {
    this.closeOpenSpans(performance.now())
    this.#post()
    this.#channel.close()
    this.on = false
  }

  #post(): void {
    this.#lastPostMs = performance.now()
    if (this.overflowed) this.repaired++
    if (this.count > 0) {
      this.convertTimes(0, 0)
      const { marker, startNs, durationNs, depth } = this.copySpans(0, new Uint32Array(0))
      const batch: LaneBatch = {
        lane: this.#name,
        timeOriginMs: performance.timeOrigin,
        markers: this.markers,
        spans: { marker, startNs, durationNs, depth },
        repaired: this.repaired,
      }
      this.#channel.postMessage(batch)
    }
    this.repaired = 0
    this.truncate(0)
  }
}
