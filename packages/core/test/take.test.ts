import { expect } from 'chai'
import fc from 'fast-check'
import type { ChunkRecord } from '@lapsus/core/format'
import {
  concatFrames,
  Digester,
  emptyFrames,
  firstSpan,
  frameFigures,
  longestWait,
  miniature,
  packSpans,
  unpackFrames,
  unpackSpans,
  VarintReader,
  VarintWriter,
} from '@lapsus/core/take'
import {
  arbitraryFrames,
  chunkRecord,
  declareRecord,
  node,
  totalOf,
  type FrameSpec,
} from './support/takes.ts'

const MARKERS = [
  { name: 'sim', group: 'simulation' },
  { name: 'moths', group: 'simulation' },
  { name: 'wait', kind: 'wait:refresh' as const },
  { name: 'job', kind: 'wait:job' as const },
  { name: 'collect', kind: 'collect' as const },
]
const MS = 1_000_000

function digester(reuses = false) {
  const made = new Digester(undefined, reuses)
  made.declare(declareRecord(1, MARKERS, ['main', 'worker 1']))
  return made
}

const digest = (frames: FrameSpec[]) => digester().digest(chunkRecord(2, frames))

describe('frames', () => {
  it('part work from waiting by self time, on the main lane only', () => {
    const { frames } = digest([
      {
        lanes: [[node(0, 3 * MS, [node(3, 2 * MS, [node(1, 1 * MS)])]), node(2, 10 * MS)], [node(3, 9 * MS)]],
        restNs: MS / 2,
      },
    ])
    expect(frames.durationNs[0]).to.equal(16.5 * MS)
    expect(frames.waitNs.job[0]).to.equal(2 * MS)
    expect(frames.waitNs.refresh[0]).to.equal(10 * MS)
    expect(frames.workNs[0]).to.equal(4.5 * MS)
    expect(frames.spans[0]).to.equal(5)
  })

  it('count a collection as work', () => {
    const { frames } = digest([{ lanes: [[node(0, 1 * MS, [node(4, 2 * MS)])]], restNs: 0 }])
    expect(frames.collectNs[0]).to.equal(2 * MS)
    expect(frames.workNs[0]).to.equal(3 * MS)
  })

  it('are over by work, late by duration, held when late but not over', () => {
    const frame = (workMs: number, waitMs: number): FrameSpec => ({
      lanes: [[node(0, workMs * MS), node(2, waitMs * MS)]],
      restNs: 0,
    })
    const { frames } = digest([frame(5, 11.6), frame(20, 0), frame(5, 20), frame(16.7, 0), frame(17.4, 3)])
    const figures = frameFigures(frames, 1000 / 60)
    expect(figures.over).to.equal(3)
    expect(figures.late).to.equal(3)
    expect(figures.held).to.equal(1)
    expect(figures.heldBy).to.deep.equal({ refresh: 1, graphics: 0, job: 0, io: 0 })
    expect(figures.overShare).to.equal(0.6)
    expect(figures.overTimeMs).to.be.closeTo(20 + 16.7 + 17.4 - 50, 1e-9)
    expect(figures.work.worst).to.equal(20)
    expect(figures.work.p50).to.equal(16.7)
    expect(longestWait(frames, 1)).to.equal(null)
  })

  it('give figures for a stretch, for one frame and for none', () => {
    const { frames } = digest([1, 2, 3].map((ms) => ({ lanes: [[node(0, ms * MS)]], restNs: 0 })))
    expect(frameFigures(frames, 10, 1, 2).work).to.deep.equal({ p50: 2, p95: 2, p99: 2, p999: 2, worst: 2 })
    const none = frameFigures(emptyFrames(), 10)
    expect(none).to.include({ frames: 0, over: 0, overShare: 0, late: 0, held: 0 })
    expect(none.work.p99).to.be.NaN
  })

  it('join without loss', () => {
    const spec = [1, 2, 3, 4].map((ms) => ({ lanes: [[node(0, ms * MS)]], restNs: 7 }))
    const whole = digest(spec).frames
    const made = digester()
    const first = made.digest(chunkRecord(2, spec.slice(0, 1)))
    const rest = made.digest(chunkRecord(3, spec.slice(1), MS + 7))
    expect(rest.firstFrame).to.equal(1)
    expect(concatFrames([first.frames, rest.frames])).to.deep.equal(whole)
  })

  it('never lose a spike in the miniature', () => {
    const { frames } = digest(
      Array.from({ length: 1000 }, (_, i) => ({ lanes: [[node(0, (i === 777 ? 40 : 5) * MS)]], restNs: 0 })),
    )
    const picture = miniature(frames, 100)
    expect(picture.worstUs.length).to.equal(100)
    expect(picture.worstUs[77]).to.equal(40_000)
    expect(picture.medianUs[77]).to.equal(5_000)
    expect(miniature(frames, 5000).worstUs.length).to.equal(1000)
  })
})

describe('digest', () => {
  it('finds paths and self time as the trees say', () => {
    fc.assert(
      fc.property(arbitraryFrames(3), (spec) => {
        const made = digester()
        const { spans, selfNs } = made.digest(chunkRecord(2, spec))
        const { paths } = made.progress
        let at = 0
        spec.forEach((frame, f) => {
          expect(firstSpan(spans, f)).to.equal(at)
          frame.lanes.forEach((roots, lane) => {
            const visit = (span: { marker: number; selfNs: number; children: never[] }, chain: number[]) => {
              const path = paths.get(spans.path[at]!)
              expect(paths.chain(path.id).map((id) => paths.get(id).marker)).to.deep.equal([
                ...chain,
                span.marker,
              ])
              expect(path.lane).to.equal(lane)
              expect(selfNs[at]).to.equal(span.selfNs)
              expect(spans.durationNs[at]).to.equal(totalOf(span))
              at++
              for (const child of span.children) visit(child, [...chain, span.marker])
            }
            for (const root of roots) visit(root as never, [])
          })
          expect(spans.frameEnd[f]).to.equal(at)
        })
      }),
    )
  })

  it('refuses what was never declared, and time that runs backwards', () => {
    expect(() => digest([{ lanes: [[node(9, 1)]], restNs: 0 }])).to.throw(
      'marker 9 to be declared before it is used',
    )
    const made = digester()
    const frames = [{ lanes: [[node(0, 10)]], restNs: 0 }]
    made.digest(chunkRecord(2, frames, 500))
    expect(() => made.digest(chunkRecord(3, frames, 400))).to.throw(
      '"start[0]" to be no earlier than the last frame',
    )
    expect(() => made.declare(declareRecord(4, [{ name: 'other' }]))).to.throw(
      'marker 0 to stay "sim", got "other"',
    )
    const unknownLane: ChunkRecord = { ...chunkRecord(3, frames, 900) }
    unknownLane.lanes = [{ ...unknownLane.lanes[0]!, lane: 7 }]
    expect(() => made.digest(unknownLane)).to.throw('lane 7 to be declared')
  })

  it('cuts self time at 0 when the clock lets children outlast their parent', () => {
    const chunk = chunkRecord(2, [{ lanes: [[node(0, 0, [node(1, 100)])]], restNs: 0 }])
    chunk.lanes[0]!.durationNs[0] = 90
    expect([...digester().digest(chunk).selfNs]).to.deep.equal([0, 100])
  })
})

describe('packed spans', () => {
  it('come back as they were', () => {
    fc.assert(
      fc.property(arbitraryFrames(5), fc.nat(2 ** 40), (spec, startNs) => {
        const made = digester()
        const { spans, frames } = made.digest(chunkRecord(2, spec, startNs))
        const packed = packSpans(spans, frames.startNs, made.progress.paths)
        expect(unpackSpans(packed, frames.startNs, made.progress.paths)).to.deep.equal(spans)
      }),
    )
  })

  it('give any stretch of frames without the others', () => {
    fc.assert(
      fc.property(arbitraryFrames(5), fc.nat(), fc.nat(), (spec, a, b) => {
        const [from, to] = [a % (spec.length + 1), b % (spec.length + 1)].sort((x, y) => x - y) as [
          number,
          number,
        ]
        const made = digester()
        const { spans, frames } = made.digest(chunkRecord(2, spec))
        const packed = packSpans(spans, frames.startNs, made.progress.paths)
        const part = unpackFrames(packed, frames.startNs, made.progress.paths, from, to)
        const first = from === 0 ? 0 : spans.frameEnd[from - 1]!
        const end = to === 0 ? 0 : spans.frameEnd[to - 1]!
        expect([...part.startNs]).to.deep.equal([...spans.startNs.slice(first, end)])
        expect([...part.path]).to.deep.equal([...spans.path.slice(first, end)])
        expect([...part.frameEnd]).to.deep.equal([...spans.frameEnd.slice(from, to)].map((at) => at - first))
      }),
    )
  })

  it('take starts before their frame and far beyond it', () => {
    const made = digester()
    const chunk = chunkRecord(2, [{ lanes: [[node(0, 5)], [node(1, 9)]], restNs: 0 }], 1000)
    chunk.lanes[1]!.startNs[0] = 3
    chunk.lanes[1]!.durationNs[0] = 6e12
    const { spans, frames } = made.digest(chunk)
    const packed = packSpans(spans, frames.startNs, made.progress.paths)
    expect([...unpackSpans(packed, frames.startNs, made.progress.paths).startNs]).to.deep.equal([1000, 3])
  })

  it('keep times around the largest whole number of 32 bits, and the largest there is', () => {
    const times = [
      2 ** 31 - 2,
      2 ** 31 - 1,
      2 ** 31,
      2 ** 31 + 1,
      2 ** 32 - 1,
      2 ** 32,
      2 ** 52 - 1,
      255,
      256,
    ]
    for (const durationNs of times) {
      const made = digester()
      const chunk = chunkRecord(2, [{ lanes: [[node(0, 5)]], restNs: 0 }])
      chunk.lanes[0]!.durationNs[0] = durationNs
      const { spans, frames } = made.digest(chunk)
      const packed = packSpans(spans, frames.startNs, made.progress.paths)
      expect([...unpackSpans(packed, frames.startNs, made.progress.paths).durationNs]).to.deep.equal([
        durationNs,
      ])
    }
  })

  it('are the same in memory that is used again, whether chunks grow or shrink', () => {
    fc.assert(
      fc.property(fc.array(arbitraryFrames(4), { minLength: 1, maxLength: 4 }), (chunks) => {
        const [fresh, reusing] = [digester(), digester(true)]
        chunks.forEach((frames, i) => {
          const startNs = i * 2 ** 40
          const one = fresh.digest(chunkRecord(2 + i, frames, startNs))
          const other = reusing.digest(chunkRecord(2 + i, frames, startNs))
          expect({ ...other.spans }).to.deep.equal({ ...one.spans })
          expect(other.selfNs).to.deep.equal(one.selfNs)
          expect(other.frames).to.deep.equal(one.frames)
        })
      }),
    )
  })

  it('are refused when cut', () => {
    const made = digester()
    const { spans, frames } = made.digest(chunkRecord(2, [{ lanes: [[node(0, 5)]], restNs: 0 }]))
    const packed = packSpans(spans, frames.startNs, made.progress.paths)
    expect(() =>
      unpackSpans(packed.subarray(0, packed.length - 1), frames.startNs, made.progress.paths),
    ).to.throw('too early')
  })

  it('keep whole numbers of any size and sign', () => {
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.maxSafeNat(), fc.integer({ min: -(2 ** 50), max: 2 ** 50 }))),
        (pairs) => {
          const writer = new VarintWriter()
          for (const [whole, signed] of pairs) {
            writer.write(whole)
            writer.writeSigned(signed)
          }
          const reader = new VarintReader(writer.bytes())
          for (const [whole, signed] of pairs) {
            expect(reader.read()).to.equal(whole)
            expect(reader.readSigned()).to.equal(signed)
          }
          expect(reader.position).to.equal(writer.length)
        },
      ),
    )
  })
})
