/** What comes in costs in proportion to its bytes, whatever is in it. */
import { expect } from 'chai'
import { bytesOf, chunkRecord, declareRecord, node, takeRecord } from '../../core/test/support/takes.ts'
import { emptyChunk, encodeCbor, endRecord } from '@lapsus/core/format'
import type { RunningServer } from '../src/index.ts'
import { testServer } from './support.ts'

/** How much larger the larger input is. What grows with the square would take 64 times as long. */
const TIMES = 8
const MOST_RATIO = 3 * TIMES
/** Beside it, for what costs the same whatever the size. */
const FIXED_MS = 150

const MS = 1_000_000
let takes = 0
const head = () => takeRecord({ take: `proportion-${takes++}` })

const SHAPES: Record<string, { small: number; make(size: number): Uint8Array | string }> = {
  'small integers in one record': {
    small: 1_000_000,
    make: (count) => {
      const array = Buffer.alloc(5 + count)
      array.writeUInt8(0x9a)
      array.writeUInt32BE(count, 1)
      return Buffer.concat([bytesOf([head()]), array])
    },
  },
  'moments and frames of one chunk': {
    small: 4_000,
    make: (count) =>
      bytesOf([
        head(),
        declareRecord(1, []),
        {
          ...emptyChunk(2),
          frameStartNs: Float64Array.from({ length: count }, (_, i) => i * 10),
          frameDurationNs: new Float64Array(count).fill(10),
          steps: new Uint32Array(count),
          // From the last frame to the first: what looks from the beginning looks long.
          moments: Array.from({ length: count }, (_, i) => ({
            name: 'm',
            atNs: (count - 1 - i) * 10,
            data: null,
          })),
        },
        endRecord(3),
      ]),
  },
  'paths, one in each frame': {
    small: 1_000,
    make: (count) =>
      bytesOf([
        head(),
        declareRecord(
          1,
          Array.from({ length: count }, (_, i) => ({ name: `m${i}` })),
        ),
        chunkRecord(
          2,
          Array.from({ length: count }, (_, i) => ({ lanes: [[node(i, MS)]], restNs: 0 })),
        ),
        endRecord(3),
      ]),
  },
  'records that say nothing': {
    small: 60,
    make: (count) =>
      Buffer.concat([
        bytesOf([head()]),
        ...Array.from({ length: count }, (_, i) => encodeCbor({ record: 'declare', sequence: i + 1 })),
      ]),
  },
  'JSON lines': {
    small: 60,
    make: (count) =>
      [
        JSON.stringify({
          record: 'take',
          lapsus: 1,
          take: head().take,
          game: 'G',
          target: 60,
          started: '2026-01-01T00:00:00Z',
        }),
        ...Array.from({ length: count }, (_, i) => JSON.stringify({ record: 'declare', sequence: i + 1 })),
      ].join('\n'),
  },
  'traces in no order': {
    small: 2_000,
    make: (count) => {
      const span = (i: number) => ({
        traceId: '0'.repeat(31) + '1',
        spanId: (i + 1).toString(16).padStart(16, '0'),
        name: 'frame',
        startTimeUnixNano: String(1_750_000_000_000_000_000n + BigInt(((i * 7_919) % count) * MS)),
        endTimeUnixNano: String(1_750_000_000_000_000_000n + BigInt(((i * 7_919) % count) * MS + 1_000)),
      })
      const spans = Array.from({ length: count }, (_, i) => span(i))
      return JSON.stringify({ resourceSpans: [{ scopeSpans: [{ spans }] }] })
    },
  },
  'entries of a timeline, one within the other': {
    small: 2_000,
    make: (count) =>
      JSON.stringify({
        entries: Array.from({ length: count }, (_, i) => ({
          name: i % 20 === 0 ? 'frame' : 'part',
          entryType: 'measure',
          startTime: i,
          duration: 20 - (i % 20),
        })),
      }),
  },
}

describe('an import', () => {
  let server: RunningServer
  before(async () => {
    server = await testServer()
  })
  after(() => server.stop())

  /** Processor time of this process, the server's, ms. */
  async function cost(make: () => Uint8Array | string): Promise<number> {
    const body = make() as BodyInit
    const before = process.cpuUsage()
    const answer = await fetch(`${server.address}/api/imports?frameMarker=frame`, { method: 'POST', body })
    await answer.text()
    expect(answer.status).to.be.below(500)
    const { user, system } = process.cpuUsage(before)
    return (user + system) / 1000
  }

  for (const [name, { small, make }] of Object.entries(SHAPES)) {
    it(`of ${TIMES} times as many ${name} costs about as many times as much`, async () => {
      // Once beforehand, so that no part of the first is the compiler's.
      await cost(() => make(small))
      const few = Math.min(await cost(() => make(small)), await cost(() => make(small)))
      const most = few * MOST_RATIO + FIXED_MS
      let many = await cost(() => make(small * TIMES))
      // The machine may have been slower meanwhile.
      if (many >= most) many = await cost(() => make(small * TIMES))
      expect(many, `${few.toFixed(1)} and ${many.toFixed(1)} ms`).to.be.below(most)
    })
  }
})
