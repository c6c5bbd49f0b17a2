import {
  emptyChunk,
  encodeRecord,
  FRAME_COLUMNS,
  newColumns,
  type RecorderFigures,
} from '@lapsus/core/format'
import type { HeapReader } from './heap.ts'
import type { MachineAccess } from './machine.ts'
import { SpanRecorder } from './span-recorder.ts'

const ROUNDS = 8
const CALLS = 4_000
/** Of what is read once a frame, and may be slow. */
const FRAME_CALLS = 100

/** A recorder that is on and writes over itself, to be timed. */
class Trial extends SpanRecorder {
  constructor(heap: HeapReader | null) {
    super(heap)
    this.on = true
  }

  rewind(): void {
    this.truncate(0)
  }

  /** Mean duration of the spans recorded, ns. */
  meanSpanNs(): number {
    this.convertTimes(0, 0)
    const { durationNs } = this.copySpans()
    return durationNs.reduce((sum, ns) => sum + ns, 0) / durationNs.length
  }
}

/** The quickest of several rounds: what a call costs when nothing else gets in between. ns a call. */
function cheapest(work: (calls: number) => void, calls = CALLS): number {
  let bestMs = Infinity
  for (let round = 0; round < ROUNDS; round++) {
    const startMs = performance.now()
    work(calls)
    bestMs = Math.min(bestMs, performance.now() - startMs)
  }
  return (bestMs * 1e6) / calls
}

/**
 * What recording costs on this machine, now. Takes about 40 ms.
 * @param heap given if it is read at every span
 * @param frame what is read once a frame
 */
export function calibrate(
  heap: HeapReader | null,
  frame: { heap: HeapReader | null; machine: MachineAccess | null },
): RecorderFigures {
  const trial = new Trial(heap)
  const marker = trial.marker('calibration')
  let sum = 0
  let insideNs = Infinity
  const spanNs = cheapest((calls) => {
    trial.rewind()
    for (let i = 0; i < calls; i++) {
      trial.enter(marker)
      trial.leave()
    }
  })
  for (let round = 0; round < ROUNDS; round++) {
    trial.rewind()
    for (let i = 0; i < CALLS; i++) {
      trial.enter(marker)
      trial.leave()
    }
    insideNs = Math.min(insideNs, trial.meanSpanNs())
  }
  const clockReadNs = cheapest((calls) => {
    for (let i = 0; i < calls; i++) sum += performance.now()
  })
  const frameNs = cheapest((calls) => {
    for (let i = 0; i < calls; i++) sum += (frame.heap?.() ?? 0) + (frame.machine?.takenNs() ?? 0)
  }, FRAME_CALLS)
  // Read, so that the loops above cannot be optimised away.
  if (sum < 0) trial.rewind()
  const reads = heap === null ? null : calibrateHeapReads(heap)
  return {
    spanNs: Math.round(spanNs),
    clockReadNs: Math.round(clockReadNs),
    clockResolutionNs: clockResolutionNs(),
    insideNs: Math.min(Math.round(insideNs), Math.round(spanNs)),
    ...(frame.heap === null && frame.machine === null ? {} : { frameNs: Math.round(frameNs) }),
    ...(reads === null ? {} : { heapReadNs: Math.round(reads.ns), heapReadBytes: reads.bytes }),
  }
}

/** What one heap read costs, ns, and what it allocates itself, bytes: the least that it ever does. */
export function calibrateHeapReads(heap: HeapReader): { ns: number; bytes: number } {
  let sum = 0
  const ns = cheapest((calls) => {
    for (let i = 0; i < calls; i++) sum += heap()
  })
  const differences = new Float64Array(256)
  let last = heap() + Math.min(0, sum)
  for (let i = 0; i < differences.length; i++) {
    const now = heap()
    differences[i] = now - last
    last = now
  }
  const rises = differences.filter((bytes) => bytes >= 0).sort()
  return { ns, bytes: rises[rises.length >> 1] ?? 0 }
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
      ...emptyChunk(1),
      frameStartNs: new Float64Array(1),
      frameDurationNs: new Float64Array(1),
      ...newColumns(FRAME_COLUMNS, 1),
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
    })
  }
}
