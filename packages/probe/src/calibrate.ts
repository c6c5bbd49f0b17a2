import { encodeRecord, type RecorderFigures } from '@lapsus/core/format'
import { SpanRecorder } from './span-recorder.ts'

const ROUNDS = 8
const CALLS = 4_000

/** A recorder that is on and writes over itself, to be timed. */
class Trial extends SpanRecorder {
  constructor() {
    super()
    this.on = true
  }
  rewind(): void {
    this.truncate(0)
  }
}

/** The quickest of several rounds: what a call costs when nothing else gets in between. ns a call. */
function cheapest(work: (calls: number) => void): number {
  let bestMs = Infinity
  for (let round = 0; round < ROUNDS; round++) {
    const startMs = performance.now()
    work(CALLS)
    bestMs = Math.min(bestMs, performance.now() - startMs)
  }
  return (bestMs * 1e6) / CALLS
}

/** What recording costs on this machine, now. Takes about 20 ms. */
export function calibrate(): RecorderFigures {
  const trial = new Trial()
  const marker = trial.marker('calibration')
  let sum = 0
  const spanNs = cheapest((calls) => {
    for (let i = 0; i < calls; i++) {
      trial.enter(marker)
      trial.leave()
    }
    trial.rewind()
  })
  const clockReadNs = cheapest((calls) => {
    for (let i = 0; i < calls; i++) sum += performance.now()
  })
  // Read, so that the loop above cannot be optimised away.
  if (sum < 0) trial.rewind()
  return {
    spanNs: Math.round(spanNs),
    clockReadNs: Math.round(clockReadNs),
    clockResolutionNs: clockResolutionNs(),
  }
}

/** The smallest step seen between two readings. A coarse clock is waited out for at most 20 ms. */
function clockResolutionNs(): number {
  const endMs = performance.now() + 20
  let smallestMs = Infinity
  let lastMs = performance.now()
  for (let steps = 0; steps < 200 && lastMs < endMs;) {
    const nowMs = performance.now()
    if (nowMs > lastMs) {
      smallestMs = Math.min(smallestMs, nowMs - lastMs)
      steps++
    }
    lastMs = nowMs
  }
  return Number.isFinite(smallestMs) ? Math.max(1, Math.round(smallestMs * 1e6)) : 20_000_000
}

/** Encodes made-up chunks until the code is compiled, so that the first hand-over costs no more than the rest. */
export function warmUp(): void {
  const spans = 2_000
  for (let round = 0; round < ROUNDS; round++) {
    encodeRecord({
      record: 'chunk',
      sequence: 1,
      frameStartNs: new Float64Array(1),
      frameDurationNs: new Float64Array(1),
      steps: new Uint32Array(1),
      lanes: [
        {
          lane: 0,
          count: Uint32Array.of(spans),
          marker: new Uint32Array(spans),
          startNs: new Float64Array(spans),
          durationNs: new Float64Array(spans).fill(1e6),
          depth: new Uint8Array(spans),
        },
      ],
      gauges: [],
      moments: [],
      dropped: 0,
      repaired: 0,
    })
  }
}
