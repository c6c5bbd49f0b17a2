/** What the page and the worker that runs the game say to each other. */
import type { MeterFigures } from '@lapsus/probe/overlay'

export interface Begin {
  seed: number
  letters: number
  moths: number
  flaws: string
  /** Where to record to; null for nowhere. */
  to: string | null
  take: string
}

export type ToWorker = { begin: Begin } | { end: true } | { still: ImageBitmap }

/** The town as it is to be drawn. */
export interface Picture {
  /** x, y, glow of each lantern. */
  lanterns: Float32Array
  /** x, y, and 1 with a letter, 0 without, −1 roosting. */
  moths: Float32Array
  figures: MeterFigures
  delivered: number
}

export type FromWorker = { picture: Picture } | { ended: true } | { problem: string }
