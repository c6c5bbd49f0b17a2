/** The ring of the last seconds, chunk by chunk. */
import { expect } from 'chai'
import fc from 'fast-check'
import { emptyChunk, FRAME_COLUMNS, newColumns, type Stretch } from '@lapsus/core/format'
import { KeepLast } from '../src/keep-last.ts'
import { TakeStream, type ChunkContent } from '../src/take-stream.ts'
import { MemorySink, readBack } from './support.ts'

const CHUNK_S = 0.5

/** Half a second of frames that begins at chunk number `i`. */
function chunk(i: number): ChunkContent {
  return {
    ...emptyChunk(0),
    frameStartNs: Float64Array.of(i * CHUNK_S * 1e9, (i + 0.5) * CHUNK_S * 1e9),
    frameDurationNs: new Float64Array(2).fill(0.5 * CHUNK_S * 1e9),
    ...newColumns(FRAME_COLUMNS, 2),
  }
}

/** Puts so many chunks; before each numbered in `trips`, something trips. Gives what was sent. */
function play(chunks: number, trips: number[], keepS: number): { index: number; stretch: Stretch | null }[] {
  const sink = new MemorySink()
  const take = {
    record: 'take' as const,
    lapsus: 1 as const,
    take: 'keep-last-test',
    game: 'Test',
    target: 60,
    started: '2026-01-02T03:04:05Z',
    conditions: {},
  }
  const stream = new TakeStream(sink, take, () => ({
    markers: [],
    lanes: [{ id: 0, name: 'main' }],
    gauges: [],
    watches: [],
    classes: [],
  }))
  const ring = new KeepLast(stream, keepS)
  for (let i = 0; i < chunks; i++) {
    if (trips.includes(i)) ring.trip(`trip ${i}`, (i + 0.5) * CHUNK_S * 1e9)
    ring.put(chunk(i), null)
  }
  ring.finish()
  stream.end(0, [])
  return readBack(sink.records).chunks.map(({ frameStartNs, stretch }) => ({
    index: Math.round(frameStartNs[0]! / 1e9 / CHUNK_S),
    stretch,
  }))
}

describe('keeping the last seconds', () => {
  it('sends nothing without a trip', () => {
    expect(play(50, [], 2)).to.deep.equal([])
  })

  it('sends the seconds before a trip, the trip, and a fifth of that after it', () => {
    const sent = play(60, [30], 5)
    // 5 s are ten chunks before the one that tripped; 1 s after it are two more.
    const indices = sent.map(({ index }) => index)
    expect(indices).to.deep.equal(Array.from({ length: indices.length }, (_, i) => indices[0]! + i))
    expect(sent[0]!.index).to.equal(20)
    expect(sent.at(-1)!.index).to.be.within(32, 33)
    expect(sent[0]!.stretch!.cause).to.equal('trip 30')
    expect(sent.slice(1).every(({ stretch }) => stretch === null)).to.equal(true)
  })

  it('makes one stretch of trips that follow each other closely, and two of distant ones', () => {
    const close = play(80, [30, 31, 32], 3)
    expect(close.filter(({ stretch }) => stretch !== null)).to.have.length(1)
    const distant = play(80, [20, 60], 3)
    expect(distant.flatMap(({ stretch }) => (stretch === null ? [] : [stretch.cause]))).to.deep.equal([
      'trip 20',
      'trip 60',
    ])
  })

  it('sends what tripped just before the end', () => {
    expect(play(10, [9], 2).at(-1)!.index).to.equal(9)
  })

  it('sends every chunk once, in order, each trip’s own among them, and holds no more than the seconds asked for', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 1, max: 80 }),
        fc.array(fc.nat(79), { maxLength: 6 }),
        fc.integer({ min: 1, max: 8 }),
        (chunks, wanted, keepS) => {
          const trips = wanted.filter((trip) => trip < chunks)
          const sent = play(chunks, trips, keepS)
          const indices = sent.map(({ index }) => index)
          expect(indices).to.deep.equal([...new Set(indices)].sort((a, b) => a - b))
          for (const trip of trips) expect(indices).to.include(trip)
          const before = keepS / CHUNK_S + 1
          const after = (keepS * 0.2) / CHUNK_S + 1
          for (const index of indices) {
            expect(
              trips.some((trip) => index >= trip - before && index <= trip + after),
              String(index),
            ).to.equal(true)
          }
          // A stretch begins wherever a chunk is missing before it.
          sent.forEach(({ index, stretch }, i) => {
            if (i === 0 || indices[i - 1] !== index - 1) expect(stretch, String(index)).not.to.equal(null)
          })
        },
      ),
    )
  })
})
