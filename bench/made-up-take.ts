/** A made-up take: 36,000 frames of 500 spans, with noise, spikes and a worker lane. */
import type { RemedyKind } from '@lapsus/core/detect'
import {
  emptyChunk,
  encodeRecord,
  type ChunkRecord,
  type DeclareRecord,
  type LaneSpans,
} from '@lapsus/core/format'

export const FRAMES = 36_000
export const SPANS_PER_FRAME = 500
const FRAMES_PER_CHUNK = 128
const FRAME_NS = 1e9 / 60

let state = 12345
const random = () => {
  state = (Math.imul(state, 1664525) + 1013904223) >>> 0
  return state / 2 ** 32
}

export const declaration: DeclareRecord = {
  record: 'declare',
  sequence: 1,
  markers: Array.from({ length: 60 }, (_, id) => ({
    id,
    name: `system ${Math.floor(id / 6)}.${id % 6}`,
    group: `group ${Math.floor(id / 12)}`,
    kind: id === 59 ? 'wait:refresh' : 'work',
    tags: [],
    at: null,
    watches: [],
  })),
  lanes: [
    { id: 0, name: 'main' },
    { id: 1, name: 'worker 1' },
  ],
  gauges: [{ id: 0, name: 'entities', unit: '', variants: [] }],
  watches: [],
  classes: [],
}

/** Encoded chunks, in order; `sequence` counts on from the declaration's. */
export function* chunks(): Generator<Uint8Array> {
  for (let first = 0, sequence = 2; first < FRAMES; first += FRAMES_PER_CHUNK, sequence++) {
    const frames = Math.min(FRAMES_PER_CHUNK, FRAMES - first)
    yield encodeRecord(chunk(sequence, first, frames))
  }
}

export function chunk(sequence: number, first: number, frames: number): ChunkRecord {
  const main = lane(0, frames, SPANS_PER_FRAME - 20)
  const worker = lane(1, frames, 20)
  const starts = Float64Array.from({ length: frames }, (_, i) => Math.round((first + i) * FRAME_NS))
  const durations = new Float64Array(frames)
  for (let frame = 0; frame < frames; frame++) {
    const slow = (first + frame) % 977 === 0 ? 6 : 1 + (first + frame) / FRAMES
    const end = fillMain(main, frame, starts[frame]!, slow)
    fillWorker(worker, frame, starts[frame]!)
    durations[frame] = Math.max(Math.round(FRAME_NS), end - starts[frame]!)
  }
  return {
    ...emptyChunk(sequence),
    frameStartNs: starts,
    frameDurationNs: durations,
    steps: new Uint32Array(frames).fill(1),
    lanes: [main, worker],
    gauges: [
      {
        gauge: 0,
        frame: Uint32Array.from({ length: frames }, (_, i) => i),
        value: Float64Array.from({ length: frames }, (_, i) => 400 + ((first + i) % 200)),
      },
    ],
    moments: first % 1280 === 0 ? [{ name: 'wave', atNs: starts[0]!, data: null }] : [],
  }
}

const lane = (id: number, frames: number, perFrame: number): LaneSpans => ({
  lane: id,
  count: new Uint32Array(frames).fill(perFrame),
  marker: new Uint32Array(frames * perFrame),
  startNs: new Float64Array(frames * perFrame),
  durationNs: new Float64Array(frames * perFrame),
  depth: new Uint8Array(frames * perFrame),
})

/** Ten systems of 47 entities each, five markers deep, then a wait. */
function fillMain(spans: LaneSpans, frame: number, startNs: number, slow: number): number {
  const perFrame = spans.count[frame]!
  let at = frame * perFrame
  const end = at + perFrame - 1
  let timeNs = startNs + 2_000
  for (let system = 0; at < end; system++) {
    const parent = at
    add(spans, at++, system * 6, timeNs, 0, 0)
    for (let entity = 0; entity < 47 && at < end; entity++) {
      const ownNs = Math.round((4_000 + random() * 6_000) * slow)
      add(spans, at++, system * 6 + 1 + (entity % 5), timeNs + 150, ownNs, 1)
      timeNs += ownNs + 300
    }
    spans.durationNs[parent] = timeNs - spans.startNs[parent]!
    timeNs += 900
  }
  const waitNs = Math.max(1_000, Math.round(startNs + FRAME_NS - timeNs - 2_000))
  add(spans, at, 59, timeNs, waitNs, 0)
  return timeNs + waitNs
}

function fillWorker(spans: LaneSpans, frame: number, startNs: number): void {
  const perFrame = spans.count[frame]!
  for (let i = 0; i < perFrame; i++)
    add(
      spans,
      frame * perFrame + i,
      30 + (i % 3),
      startNs + i * 200_000,
      90_000 + Math.round(random() * 50_000),
      0,
    )
}

function add(
  spans: LaneSpans,
  at: number,
  marker: number,
  startNs: number,
  durationNs: number,
  depth: number,
): void {
  spans.marker[at] = marker
  spans.startNs[at] = Math.round(startNs)
  spans.durationNs[at] = durationNs
  spans.depth[at] = depth
}

const system = (number: number) => [`system ${number}.0`]
const inside = (number: number) => [...system(number), `system ${number}.1`]

/** Eight remedies at eight systems of the take. */
export const EIGHT: { remedy: RemedyKind; path: string[]; parameters?: Record<string, number> }[] = [
  { remedy: 'timer', path: system(0), parameters: { every: 2 } },
  { remedy: 'share', path: inside(1), parameters: { group: 3 } },
  { remedy: 'jobs', path: system(2) },
  { remedy: 'cache', path: inside(3) },
  { remedy: 'bucket', path: inside(4) },
  { remedy: 'gate', path: inside(5), parameters: { passes: 40 } },
  { remedy: 'by-hand', path: system(6), parameters: { factor: 0.7 } },
  { remedy: 'one-manager', path: inside(7) },
]
