/** Runs a game's loop with its frames and its waiting marked. */
import type { MarkerId } from './span-recorder.ts'

export interface LoopOptions {
  /** Frames a second where there is no display that gives the rate, as in Node. Default: the probe's target. */
  hz?: number
}

/** What the loop uses of a probe. */
interface LoopProbe {
  frame(): void
  marker(name: string, options: { kind: 'wait:refresh'; group: string }): MarkerId
  enter(marker: MarkerId): void
  leave(): void
  pause(): void
}

/** A timer may be late by this much: the rest is waited for turn by turn. */
const TIMER_SLACK_MS = 2
/** After a longer pause the loop does not try to catch up. */
const MOST_BEHIND_FRAMES = 2

type Schedule = (next: () => void) => void

/** @returns ends the loop */
export function startLoop(probe: LoopProbe, turn: (elapsedMs: number) => unknown, hz: number): () => void {
  const wait = probe.marker('refresh', { kind: 'wait:refresh', group: 'waiting' })
  const schedule = scheduleOf(1000 / hz)
  let running = true
  let isWaiting = false
  /** The loop may be ended from within: its last frame lasts to the end of the turn. */
  let isTurning = false
  let lastMs = performance.now()

  const rest = (): void => {
    if (!running) return
    probe.enter(wait)
    isWaiting = true
    schedule(step)
  }
  const step = (): void => {
    if (!running) return
    if (isWaiting) probe.leave()
    isWaiting = false
    probe.frame()
    const nowMs = performance.now()
    const elapsedMs = nowMs - lastMs
    lastMs = nowMs
    let result: unknown
    isTurning = true
    try {
      result = turn(elapsedMs)
    } catch (error) {
      turned(false)
      throw error
    }
    if (result instanceof Promise) {
      // The frame lasts until it is done; what it fails with is the game's.
      result.then(turned, (error: unknown) => {
        turned(false)
        throw error
      })
    } else turned(result)
  }
  const turned = (result: unknown): void => {
    isTurning = false
    if (result === false || !running) stop()
    else rest()
  }
  const stop = (): void => {
    running = false
    if (isTurning) return
    if (isWaiting) probe.leave()
    isWaiting = false
    // A frame that stays open would last as long as the game does.
    probe.pause()
  }
  schedule(step)
  return stop
}

/** By the display's refresh where there is one, or else by the clock. */
function scheduleOf(periodMs: number): Schedule {
  const { requestAnimationFrame } = globalThis as { requestAnimationFrame?: (next: () => void) => void }
  if (typeof requestAnimationFrame === 'function') return (next) => requestAnimationFrame(() => next())
  const soon: Schedule =
    typeof setImmediate === 'function' ? (next) => setImmediate(next) : (next) => setTimeout(next, 0)
  let dueMs = performance.now()
  const untilDue = (next: () => void): void => {
    const leftMs = dueMs - performance.now()
    if (leftMs <= 0) next()
    else if (leftMs > TIMER_SLACK_MS) setTimeout(() => untilDue(next), leftMs - TIMER_SLACK_MS)
    else soon(() => untilDue(next))
  }
  return (next) => {
    dueMs = Math.max(dueMs + periodMs, performance.now() - MOST_BEHIND_FRAMES * periodMs)
    // At least one turn of the event loop: sockets and workers must be heard.
    soon(() => untilDue(next))
  }
}
