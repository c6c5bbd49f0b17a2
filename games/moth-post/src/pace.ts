/** Keeps a loop at a steady rate. */

/** A timer may be late by this much; the rest is waited for without giving the thread away. */
const TIMER_SLACK_MS = 2

const sleeper = new Int32Array(new SharedArrayBuffer(4))

/** Resolves at `untilMs` on performance.now(), letting sockets and workers speak meanwhile. */
export async function waitUntil(untilMs: number): Promise<void> {
  const spareMs = untilMs - performance.now() - TIMER_SLACK_MS
  if (spareMs > 0) await new Promise((resolve) => setTimeout(resolve, spareMs))
  else await new Promise((resolve) => setImmediate(resolve))
  const restMs = untilMs - performance.now()
  if (restMs > 0) Atomics.wait(sleeper, 0, 0, restMs)
}
