/** A stand-in for a display and its graphics: batches in, and time until they are on the screen. */

/** Batches that graphics of the given speed are timed by. */
const USUAL_BATCHES = 12

const sleeper = new Int32Array(new SharedArrayBuffer(4))

export class Display {
  readonly #graphicsMs: number
  #freeAtMs = 0

  /** @param graphicsMs time that graphics take for a usual frame; 0 for none */
  constructor(graphicsMs: number) {
    this.#graphicsMs = graphicsMs
  }

  /**
   * Takes a frame's batches. Graphics work on one frame while the game makes the next; a game that is
   * further ahead has to wait.
   * @param nowMs on performance.now(), as is when the game may go on
   */
  submit(batches: number, nowMs = performance.now()): number {
    const mayGoOnMs = Math.max(nowMs, this.#freeAtMs)
    this.#freeAtMs = mayGoOnMs + (this.#graphicsMs * batches) / USUAL_BATCHES
    return mayGoOnMs
  }
}

/** Blocks the thread until then. */
export function blockUntil(untilMs: number): void {
  const restMs = untilMs - performance.now()
  if (restMs > 0) Atomics.wait(sleeper, 0, 0, restMs)
}
