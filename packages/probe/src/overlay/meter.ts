/** Frame times of the last seconds, summed up for a small display. */

export interface MeterFigures {
  /** Frames a second, over the last second. */
  fps: number
  /** Duration of the last frame, ms. */
  frameMs: number
  /** 99th percentile of the last 10 s, ms (type 7 of Hyndman and Fan). */
  p99Ms: number
  /** Durations of the latest frames, oldest first, ms. */
  latestMs: Float32Array
  /** Null where it is not known. */
  heapBytes: number | null
}

const SPAN_MS = 10_000
/** Frames kept: 10 s at up to 400 a second. */
const CAPACITY = 4_096
const LATEST = 60

export class FrameMeter {
  readonly #ring = new Float32Array(CAPACITY)
  #next = 0
  #count = 0

  /** Takes a frame's duration, ms. Costs two writes. */
  add(durationMs: number): void {
    this.#ring[this.#next] = durationMs
    this.#next = (this.#next + 1) % CAPACITY
    if (this.#count < CAPACITY) this.#count++
  }

  figures(heapBytes: number | null = null): MeterFigures {
    const recent = this.#last(SPAN_MS)
    const second = this.#last(1000)
    const secondMs = second.reduce((sum, ms) => sum + ms, 0)
    return {
      fps: secondMs > 0 ? (1000 * second.length) / secondMs : 0,
      frameMs: recent.at(-1) ?? 0,
      p99Ms: p99(recent),
      latestMs: recent.slice(-LATEST),
      heapBytes,
    }
  }

  /** The latest frames that together last about so long, oldest first. */
  #last(spanMs: number): Float32Array {
    let sum = 0
    let frames = 0
    while (frames < this.#count && sum < spanMs) sum += this.#at(frames++)
    return Float32Array.from({ length: frames }, (_, i) => this.#at(frames - 1 - i))
  }

  /** Duration of the frame `back` frames before the last. */
  #at(back: number): number {
    return this.#ring[(this.#next - 1 - back + CAPACITY) % CAPACITY]!
  }
}

function p99(values: Float32Array): number {
  if (values.length === 0) return 0
  const sorted = values.slice().sort()
  const rank = (sorted.length - 1) * 0.99
  const below = Math.floor(rank)
  const low = sorted[below]!
  return low + (rank - below) * ((sorted[below + 1] ?? low) - low)
}
