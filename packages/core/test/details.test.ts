import { buildStudy, ledgerOfFrames, studyWithoutRecorder } from '@lapsus/core/study'
/** What runs say about themselves, through digest, packing, courses, rollups and the recorder's share. */
import { expect } from 'chai'
import fc from 'fast-check'
import {
  coursesOf,
  ledgerRows,
  mergeRollups,
  newCourseDetails,
  packCourseDetails,
  rollupOf,
  unpackCourseDetails,
  type CourseDetails,
} from '@lapsus/core/rollup'
import {
  decodeFrames,
  decodeSamples,
  Declarations,
  Digester,
  durationsWithoutRecorder,
  encodeFrames,
  encodeSamples,
  excerpt,
  framesWithoutRecorder,
  isUnreliable,
  packDetails,
  pairJobs,
  unpackDetails,
} from '@lapsus/core/take'
import {
  emptyChunk,
  encodeCbor,
  FormatError,
  RecordReader,
  validateRecord,
  type ChunkRecord,
} from '@lapsus/core/format'
import {
  arbitraryFrames,
  bytesOf,
  chunkRecord,
  declareRecord,
  node,
  takeRecord,
  type FrameSpec,
} from './support/takes.ts'
import { richTake } from './support/rich-take.ts'

const MARKERS = [{ name: 'a', group: 'g' }, { name: 'b', group: 'g' }, { name: 'c' }]
const FIGURES = { spanNs: 100, insideNs: 40, clockReadNs: 30, clockResolutionNs: 60 }

function digested(chunk: ChunkRecord) {
  const digester = new Digester()
  digester.declare(declareRecord(1, MARKERS, ['main', 'worker 1']))
  return { chunk: digester.digest(chunk), paths: digester.progress.paths }
}

/** A chunk whose main-lane spans say things, in the order they are given, over and over. */
function saying(frames: FrameSpec[], said: { effect: number; bytes: number; key: number }[]): ChunkRecord {
  const chunk = chunkRecord(2, frames)
  const [main] = chunk.lanes
  const of = (i: number) => said[i % said.length]!
  main!.effect = Uint8Array.from(main!.marker.keys(), (i) => of(i).effect)
  main!.bytes = Float64Array.from(main!.marker.keys(), (i) => of(i).bytes)
  main!.key = Uint32Array.from(main!.marker.keys(), (i) => of(i).key)
  return chunk
}

const arbitrarySaid = fc.array(
  fc.record({
    effect: fc.nat(2),
    bytes: fc.oneof(fc.constant(-1), fc.nat(5000)),
    key: fc.oneof(fc.constant(0), fc.nat(3)),
  }),
  { minLength: 1, maxLength: 9 },
)

describe('span details', () => {
  it('come back from packing, any part of them', () => {
    fc.assert(
      fc.property(arbitrarySaid, fc.nat(9), fc.nat(9), (said, a, b) => {
        const details = {
          effect: Uint8Array.from(said, ({ effect }) => effect),
          bytes: Float64Array.from(said, ({ bytes }) => bytes),
          key: null,
        }
        const from = Math.min(a, b, said.length)
        const to = Math.min(Math.max(a, b), said.length)
        expect(unpackDetails(packDetails(details), from, to)).to.deep.equal({
          effect: details.effect.slice(from, to),
          bytes: details.bytes.slice(from, to),
          key: null,
        })
      }),
    )
  })

  it('add up in courses, rollups and ledgers to what brute force says', () => {
    fc.assert(
      fc.property(arbitraryFrames(3, 8), arbitrarySaid, (frames, said) => {
        const { chunk, paths } = digested(saying(frames, said))
        const { spans, details } = chunk
        const courses = coursesOf(chunk, paths)
        const rollup = mergeRollups([rollupOf(courses, paths, 0)])
        const expected = new Map<
          number,
          { said: number; needless: number; needlessNs: number; repeated: number }
        >()
        for (let frame = 0, span = 0; frame < frames.length; frame++) {
          const answers = new Map<string, number>()
          for (; span < spans.frameEnd[frame]!; span++) {
            const path = spans.path[span]!
            const sum = expected.get(path) ?? { said: 0, needless: 0, needlessNs: 0, repeated: 0 }
            expected.set(path, sum)
            const effect = details.effect?.[span] ?? 0
            const key = details.key?.[span] ?? 0
            const question = `${paths.get(path).marker}/${key}`
            if (key === 0) {
              if (effect > 0) sum.said++
              if (effect === 1) {
                sum.needless++
                sum.needlessNs += spans.durationNs[span]!
              }
            } else {
              if (answers.get(question) === effect) sum.repeated++
              answers.set(question, effect)
            }
          }
        }
        for (const row of ledgerRows(rollup, 'path')) expect(row).to.include(expected.get(row.key)!)
      }),
    )
  })

  it('give self bytes that add up, and a collection makes everything around it unknown', () => {
    const frames: FrameSpec[] = [
      { lanes: [[node(0, 10, [node(1, 10, [node(2, 10)]), node(2, 10)]), node(1, 10)]], restNs: 0 },
      { lanes: [[node(0, 10, [node(1, 10)])]], restNs: 0 },
    ]
    const record = chunkRecord(2, frames)
    record.lanes[0]!.bytes = Float64Array.of(1000, 300, 120, 200, 50, 900, -1)
    const { chunk, paths } = digested(record)
    expect([...chunk.selfBytes!]).to.deep.equal([500, 180, 120, 200, 50, -1, -1])
    expect([...chunk.frames.bytes]).to.deep.equal([1050, -1])
    const rows = ledgerRows(rollupOf(coursesOf(chunk, paths), paths, 0), 'marker')
    expect(rows.reduce((sum, row) => sum + row.bytes, 0)).to.equal(1050)
    expect(rows.reduce((sum, row) => sum + row.unknownBytes, 0)).to.equal(2)
  })

  it('of courses come back from packing', () => {
    const details: CourseDetails = newCourseDetails(5)
    details.needless.set([1, 0, 3, 0, 9])
    details.bytes.set([0, 1e12, 0, 0, 7])
    expect(unpackCourseDetails(packCourseDetails(details), 5)).to.deep.equal(details)
  })
})

describe('the recorder’s share', () => {
  /** What would have been measured if recording had cost nothing, and what is measured as it costs. */
  function inflated(frames: FrameSpec[]) {
    const inflate = (span: FrameSpec['lanes'][number][number]): typeof span => ({
      ...span,
      selfNs: span.selfNs + FIGURES.insideNs + span.children.length * (FIGURES.spanNs - FIGURES.insideNs),
      children: span.children.map(inflate),
    })
    return frames.map((frame) => ({
      lanes: frame.lanes.map((lane) => lane.map(inflate)),
      restNs: frame.restNs + (frame.lanes[0] ?? []).length * (FIGURES.spanNs - FIGURES.insideNs),
    }))
  }

  const studyOf = ({ chunk, paths }: ReturnType<typeof digested>) =>
    buildStudy({ conditions: { recorder: FIGURES }, target: 60, declarations: new Declarations(), paths }, [
      {
        frames: chunk.frames,
        courses: coursesOf(chunk, paths),
        samples: chunk.samples,
        moments: [],
        beginsStretch: false,
        dropped: 0,
      },
    ])

  it('taken out gives back every figure as it would have been without recording', () => {
    fc.assert(
      fc.property(arbitraryFrames(3, 8), (frames) => {
        const bare = digested(chunkRecord(2, frames))
        const recorded = digested(chunkRecord(2, inflated(frames)))
        const { frames: columns } = recorded.chunk
        expect([...framesWithoutRecorder(columns, FIGURES).workNs]).to.deep.equal([
          ...bare.chunk.frames.workNs,
        ])
        expect([
          ...durationsWithoutRecorder(
            recorded.chunk.spans.path,
            recorded.chunk.spans.durationNs,
            recorded.paths,
            FIGURES,
          ),
        ]).to.deep.equal([...bare.chunk.spans.durationNs])
        for (const by of ['path', 'marker', 'group'] as const) {
          const study = studyWithoutRecorder(studyOf(recorded))
          const rows = ledgerOfFrames(study, new Uint8Array(frames.length).fill(1), by)
          // Percentiles and worst frames too: the share is taken out of each frame by itself.
          expect(rows, by).to.deep.equal(
            ledgerRows(rollupOf(coursesOf(bare.chunk, bare.paths), bare.paths, 0), by),
          )
        }
      }),
      { numRuns: 60 },
    )
  })

  it('is not taken out of the duration of a frame that waits for the refresh anyway', () => {
    const digester = new Digester()
    digester.declare(declareRecord(1, [{ name: 'a' }, { name: 'w', kind: 'wait:refresh' }]))
    const chunk = digester.digest(chunkRecord(2, [{ lanes: [[node(0, 5000), node(1, 9000)]], restNs: 0 }]))
    const { workNs, durationNs } = framesWithoutRecorder(chunk.frames, FIGURES)
    expect([workNs[0], durationNs[0]]).to.deep.equal([4800, 14_000])
  })

  it('tells runs that a coarse clock cannot time', () => {
    const coarse = { ...FIGURES, clockResolutionNs: 100_000 }
    expect(isUnreliable(60_000, coarse)).to.equal(true)
    expect(isUnreliable(200_000, coarse)).to.equal(false)
    expect(isUnreliable(20, FIGURES)).to.equal(false)
  })
})

describe('samples and jobs', () => {
  const [, declare, chunk] = richTake() as [unknown, ReturnType<typeof declareRecord>, ChunkRecord]

  it('come back from their stored form, and from that of older takes', () => {
    const { gauges, watches, lives, updaters, jobs } = chunk
    expect(decodeSamples(encodeSamples(chunk))).to.deep.equal({ gauges, watches, lives, updaters, jobs })
    expect(decodeSamples(encodeCbor(gauges)).gauges).to.deep.equal(gauges)
  })

  it('need what they name to be declared', () => {
    const digester = new Digester()
    digester.declare({ ...declare, watches: [] })
    expect(() => digester.digest(chunk)).to.throw(FormatError, 'watch 0 to be declared')
    digester.declare({ ...declare, classes: [] })
    expect(() => digester.digest({ ...chunk, lives: [{ ...chunk.lives[0]!, class: 5 }] })).to.throw('class 5')
    const jobs = { ...chunk.jobs, lane: Uint32Array.of(0, 9, 1) }
    expect(() => digester.digest({ ...chunk, jobs })).to.throw('lane 9')
  })

  it('pair, in any order, also over chunks; ends without a beginning are counted as repairs', () => {
    const [job] = pairJobs([chunk.jobs])
    expect(job).to.deep.equal({
      id: 77,
      marker: 2,
      dispatched: { lane: 0, atNs: 800 },
      begun: { lane: 1, atNs: 900 },
      ended: { lane: 1, atNs: 1_000_900 },
    })
    const digester = new Digester()
    digester.declare(declare)
    expect(digester.digest(chunk).repaired).to.equal(1)
    const later = (event: number) => ({
      ...emptyChunk(3),
      jobs: { ...chunk.jobs, event: Uint8Array.of(event, event, event), job: Uint32Array.of(5, 6, 7) },
    })
    expect(digester.digest(later(1)).repaired).to.equal(0)
    expect(digester.digest(later(2)).repaired).to.equal(0)
    expect(digester.digest(later(2)).repaired).to.equal(3)
    // Where a stretch begins, what went on before it is not known.
    const stretch = { cause: 'x', at: '2026-01-02T03:04:05Z' }
    expect(digester.digest({ ...later(2), stretch }).repaired).to.equal(0)
    digester.progress.openJobs = null
    expect(digester.digest(later(2)).repaired).to.equal(0)
    expect(digester.digest(later(2)).repaired).to.equal(3)
  })
})

describe('frame columns', () => {
  it('come back with counts and bytes, and older ones without', () => {
    const { chunk } = digested(
      saying([{ lanes: [[node(0, 5)]], restNs: 1 }], [{ effect: 0, bytes: 9, key: 0 }]),
    )
    expect(decodeFrames(encodeFrames(chunk.frames))).to.deep.equal(chunk.frames)
    const older = encodeCbor({
      start: Uint8Array.of(1),
      duration: Uint8Array.of(2),
      work: Uint8Array.of(2),
      refresh: Uint8Array.of(0),
      graphics: Uint8Array.of(0),
      job: Uint8Array.of(0),
      io: Uint8Array.of(0),
      collect: Uint8Array.of(0),
      steps: Uint8Array.of(0),
      spans: Uint8Array.of(7),
    })
    const { mainSpans, collections, bytes } = decodeFrames(older)
    expect([mainSpans[0], collections[0], bytes[0]]).to.deep.equal([7, 0, -1])
  })
})

describe('excerpts', () => {
  it('of all pieces of a chunk together say what the chunk said', () => {
    fc.assert(
      fc.property(arbitraryFrames(3, 10), fc.nat(10), (frames, cut) => {
        const at = Math.min(cut, frames.length)
        const whole = saying(frames, [{ effect: 1, bytes: 8, key: 2 }])
        const parts = [excerpt(whole, 0, at, 0), excerpt(whole, at, frames.length, 0)]
        const joined = (pick: (chunk: ChunkRecord) => ArrayLike<number>) =>
          parts.flatMap((part) => Array.from(pick(part)))
        expect(joined((part) => part.frameStartNs)).to.deep.equal([...whole.frameStartNs])
        for (const column of ['marker', 'startNs', 'depth', 'count', 'effect', 'bytes', 'key'] as const) {
          expect(joined((part) => part.lanes[0]![column]!)).to.deep.equal([...whole.lanes[0]![column]!])
        }
      }),
    )
  })

  it('begin at time 0 with the samples, moments and jobs of their frames', () => {
    const [, , chunk] = richTake() as [unknown, unknown, ChunkRecord]
    const originNs = chunk.frameStartNs[1]!
    const part = excerpt(chunk, 1, 2, originNs)
    expect(part.frameStartNs[0]).to.equal(0)
    expect(part.gauges[0]).to.deep.equal({ gauge: 0, frame: Uint32Array.of(0), value: Float64Array.of(-2) })
    expect(part.watches[0]!.looks).to.deep.equal(Uint32Array.of(4))
    expect(part.lives[0]!.frame.length).to.equal(0)
    expect(part.moments.length + part.jobs.job.length).to.equal(0)
    expect(excerpt(chunk, 0, 1, 700).moments).to.deep.equal([{ ...chunk.moments[0]!, atNs: 2e6 - 700 }])
    expect(excerpt(chunk, 0, 1, 700).jobs.job).to.have.length(3)
  })
})

describe('hostile records', () => {
  /** Reads and digests; what breaks the format must be a FormatError, and what came before it stays good. */
  function survive(bytes: Uint8Array): number {
    const digester = new Digester()
    let chunks = 0
    try {
      new RecordReader().push(bytes, (record) => {
        if (record.record === 'declare') digester.declare(record)
        if (record.record !== 'chunk') return
        const chunk = digester.digest(record)
        packCourseDetails(coursesOf(chunk, digester.progress.paths).details ?? newCourseDetails(0))
        rollupOf(coursesOf(chunk, digester.progress.paths), digester.progress.paths, chunk.firstFrame)
        chunks++
      })
    } catch (error) {
      expect(error).to.be.instanceOf(FormatError)
    }
    return chunks
  }
  const good = richTake()

  it('cut, duplicated, reordered or mutated, end in a clear error or nothing worse', () => {
    const records = [0, 1, 2, 3]
    fc.assert(
      fc.property(
        fc.array(fc.constantFrom(...records), { maxLength: 8 }),
        fc.nat(4000),
        fc.array(fc.tuple(fc.nat(4000), fc.integer({ min: 0, max: 255 })), { maxLength: 4 }),
        (order, cut, mutations) => {
          const bytes = bytesOf(order.map((i) => good[i]!)).slice(0, cut)
          for (const [at, value] of mutations) if (at < bytes.length) bytes[at] = value
          survive(bytes)
        },
      ),
      { numRuns: 500 },
    )
  })

  it('with absurd lengths are refused before anything is held for them', () => {
    const head = bytesOf([takeRecord()])
    for (const bomb of [
      Uint8Array.of(0xa1, 0x61, 0x61, 0x5a, 0xff, 0xff, 0xff, 0xff),
      Uint8Array.of(0x9a, 0xff, 0xff, 0xff, 0xff),
      Uint8Array.of(0xbb, 0x7f, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff),
    ]) {
      const bytes = new Uint8Array(head.length + bomb.length)
      bytes.set(head)
      bytes.set(bomb, head.length)
      expect(() => new RecordReader().push(bytes, () => {})).to.throw(FormatError, 'no more than the limits')
    }
  })

  it('with a million marker names are refused by the limit', () => {
    const declare = declareRecord(1, [])
    const markers = Array.from({ length: 20_000 }, (_, id) => ({
      id,
      name: `letter ${id}`,
      group: '',
      kind: 'work' as const,
      tags: [],
      at: null,
      watches: [],
    }))
    const read = () => new RecordReader().push(bytesOf([takeRecord(), { ...declare, markers }]), () => {})
    expect(read).to.throw(FormatError, '20000 entries, at most 16384')
  })

  it('with times that are NaN, negative or go back are named', () => {
    const negative = { record: 'chunk', sequence: 1, frames: { start: [0, 1], duration: [1, -5] } }
    expect(() => validateRecord(negative)).to.throw(FormatError, '"duration[1]"')
    const chunk = good[2] as ChunkRecord
    const cases: [Partial<ChunkRecord>, string][] = [
      [{ frameStartNs: Float64Array.of(NaN, 5) }, '"start[0]"'],
      [{ frameStartNs: Float64Array.of(9, 5) }, '"start[1]"'],
      [{ jobs: { ...chunk.jobs, atNs: Float64Array.of(1, 2, Infinity) } }, '"at[2]"'],
      [{ jobs: { ...chunk.jobs, event: Uint8Array.of(0, 1, 7) } }, '"event[2]"'],
      [{ lanes: [chunk.lanes[0]!, chunk.lanes[0]!] }, 'each lane once'],
      [{ stretch: { cause: 'x', at: 'noon' } }, '"at"'],
    ]
    for (const [change, words] of cases) {
      const bytes = bytesOf([good[0]!, good[1]!, { ...chunk, ...change }])
      expect(() => new RecordReader().push(bytes, () => {}), words).to.throw(FormatError, words)
      expect(survive(bytes)).to.equal(0)
    }
  })
})
