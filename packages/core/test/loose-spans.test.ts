/** Spans that come without nesting. */
import { expect } from 'chai'
import fc from 'fast-check'
import { Assembler, jsonLine, type LooseSpan, LooseSpans } from '@lapsus/core/exchange'
import { LIMITS, NO_KEY, validateRecord, type ChunkRecord } from '@lapsus/core/format'
import { Digester } from '@lapsus/core/take'
import { arbitraryFrames, chunkRecord, type FrameSpec } from './support/takes.ts'
import { chunksOf, names } from './support/foreign.ts'

describe('assembling spans without nesting', () => {
  /** Runs of the main lane as they would come without nesting, their names by what they are named with. */
  const looseOf = (frames: FrameSpec[], nameOf: ((index: number) => string) | null) => {
    // Spans of no length lie inside each other in no certain order.
    const sized = JSON.parse(JSON.stringify(frames), (key, value) =>
      key === 'selfNs' ? value + 1 : value,
    ) as FrameSpec[]
    const chunk = chunkRecord(1, sized)
    const main = chunk.lanes[0]
    const open: number[] = []
    const spans = [...(main?.marker ?? [])].map((marker, i): LooseSpan => {
      open.length = main!.depth[i]!
      const parent = open.at(-1)
      open.push(i)
      return {
        ...{ lane: 'main', name: `m${marker}`, group: '', kind: 'work', effect: 0, bytes: -1 },
        ...{ startNs: main!.startNs[i]!, durationNs: main!.durationNs[i]! },
        ...(nameOf === null
          ? {}
          : { id: nameOf(i), parent: parent === undefined ? 'frame' : nameOf(parent) }),
      }
    })
    const loose = [...chunk.frameStartNs.keys()].map((i) => ({
      startNs: chunk.frameStartNs[i]!,
      durationNs: chunk.frameDurationNs[i]!,
    }))
    return { spans, loose, depth: [...(main?.depth ?? [])] }
  }
  const depthsOf = (chunk: ChunkRecord) => [...(chunk.lanes.find(({ lane }) => lane === 0)?.depth ?? [])]

  it('nests by time exactly as the tree it came from', () => {
    fc.assert(
      fc.property(arbitraryFrames(3, 6), (frames) => {
        const { spans, loose, depth } = looseOf(frames, null)
        if (loose.length === 0) return
        const [built] = chunksOf(new Assembler('main').chunks(loose, LooseSpans.of(spans), []))
        expect(depthsOf(built!)).to.deep.equal(depth)
        expect(built!.repaired).to.equal(0)
      }),
    )
  })

  it('nests by names of any kind as it does by time, in whatever order the spans come', () => {
    const namings = [
      (index: number) => (index + 1).toString(16).padStart(16, '0'),
      (index: number) => `${'f'.repeat(8)}${index.toString(16).padStart(8, 'A')}`,
      (index: number) => `span ${index}`,
      (index: number) => (index % 2 === 0 ? `${index}` : `${index}`.padStart(16, 'é')),
    ]
    fc.assert(
      fc.property(arbitraryFrames(3, 6), fc.constantFrom(...namings), fc.nat(), (frames, naming, turn) => {
        const { spans, loose, depth } = looseOf(frames, naming)
        if (loose.length === 0) return
        const at = turn % Math.max(1, spans.length)
        const turned = [...spans.slice(at), ...spans.slice(0, at)]
        const [built] = chunksOf(new Assembler('main').chunks(loose, LooseSpans.of(turned), []))
        expect(depthsOf(built!)).to.deep.equal(depth)
      }),
    )
  })

  it('nests by parents where they are given, whatever small things the clocks say', () => {
    const span = (id: string, parent: string, startNs: number, durationNs: number): LooseSpan => ({
      ...{ id, parent, startNs, durationNs },
      ...{ lane: 'main', name: id, group: '', kind: 'work', effect: 0, bytes: -1 },
    })
    const spans = [
      span('a', 'frame', 1000, 5000),
      span('b', 'a', 900, 2000),
      span('c', 'a', 2800, 3300),
      span('d', 'c', 3000, 10),
      span('loop', 'loop', 7000, 10),
      span('e', 'f', 8000, 10),
      span('f', 'e', 8000, 10),
    ]
    const records = new Assembler('main').chunks([{ startNs: 0, durationNs: 9000 }], LooseSpans.of(spans), [])
    const [chunk] = chunksOf(records)
    const [lane] = chunk!.lanes
    const declared = names(records)
    // Two that claim to be in each other are in nothing that can be laid out.
    expect([...lane!.marker].map((id) => declared[id])).to.deep.equal(['a', 'b', 'c', 'd', 'loop'])
    expect([...lane!.depth]).to.deep.equal([0, 1, 1, 2, 0])
    expect([...lane!.startNs]).to.deep.equal([1000, 1000, 2900, 3000, 7000])
    expect([...lane!.durationNs]).to.deep.equal([5000, 1900, 3100, 10, 10])
    expect(chunk!.repaired).to.equal(2)
  })

  it('takes brothers that begin in the same ms in the order in which they ended', () => {
    const span = (id: string, durationNs: number): LooseSpan => ({
      ...{ id, parent: 'frame', startNs: 1e6, durationNs },
      ...{ lane: 'main', name: id, group: '', kind: 'work', effect: 0, bytes: -1 },
    })
    const records = new Assembler('main').chunks(
      [{ startNs: 0, durationNs: 1e7 }],
      LooseSpans.of([span('wait', 2.4e6), span('sim', 0.8e6)]),
      [],
    )
    const [lane] = chunksOf(records)[0]!.lanes
    expect([...lane!.marker].map((id) => names(records)[id])).to.deep.equal(['sim', 'wait'])
    expect([...lane!.startNs]).to.deep.equal([1e6, 1.8e6])
  })

  it('cuts a run that outlasts what it began in, and says so', () => {
    const loose = (startNs: number, durationNs: number): LooseSpan => ({
      lane: 'main',
      name: 'a',
      group: '',
      kind: 'work',
      startNs,
      durationNs,
      effect: 0,
      bytes: -1,
    })
    const [chunk] = chunksOf(
      new Assembler('main').chunks(
        [{ startNs: 0, durationNs: 1e7 }],
        LooseSpans.of([loose(0, 5e6), loose(4e6, 4e6)]),
        [],
      ),
    )
    expect([...chunk!.lanes[0]!.durationNs]).to.deep.equal([5e6, 1e6])
    expect(chunk!.repaired).to.equal(1)
  })

  it('cuts chunks so that each stays within the limits, losing nothing', () => {
    const PER_FRAME = 3_000
    const FRAMES = 100
    const frames = Array.from({ length: FRAMES }, (_, i) => ({ startNs: i * 1e7, durationNs: 1e7 }))
    const spans = Array.from({ length: FRAMES * PER_FRAME }, (_, i): LooseSpan => ({
      ...{ lane: 'main', name: 'a', group: '', kind: 'work', effect: 0, bytes: -1, durationNs: 5 },
      startNs: Math.floor(i / PER_FRAME) * 1e7 + (i % PER_FRAME) * 10,
    }))
    const chunks = chunksOf(new Assembler('main').chunks(frames, LooseSpans.of(spans), []))
    const sizes = chunks.map(({ lanes }) => lanes[0]!.marker.length)
    expect(Math.max(...sizes)).to.be.below(LIMITS.chunkSpans / 2)
    expect(sizes.reduce((a, b) => a + b)).to.equal(FRAMES * PER_FRAME)
    const counts = chunks.flatMap(({ lanes }) => [...lanes[0]!.count])
    expect(counts).to.deep.equal(new Array(FRAMES).fill(PER_FRAME))
    // Written as a take file they are read again.
    expect(() => validateRecord(JSON.parse(jsonLine(chunks[0]!)))).not.to.throw()
  })

  it('leaves out, and counts, what one frame has beyond the limit', () => {
    const spans = Array.from({ length: LIMITS.chunkSpans + 7 }, (_, i): LooseSpan => ({
      ...{
        lane: 'main',
        name: 'a',
        group: '',
        kind: 'work',
        effect: 0,
        bytes: -1,
        durationNs: 1,
        startNs: i * 2,
      },
    }))
    const [chunk] = chunksOf(
      new Assembler('main').chunks([{ startNs: 0, durationNs: 1e9 }], LooseSpans.of(spans), []),
    )
    expect(chunk!.lanes[0]!.marker.length).to.equal(LIMITS.chunkSpans)
    expect(chunk!.repaired).to.equal(7)
  })

  it('folds names made per entity', () => {
    const spans = Array.from({ length: 20_000 }, (_, i): LooseSpan => ({
      lane: `lane ${i % 400}`,
      name: `letter ${i}`,
      group: '',
      kind: 'work',
      startNs: i,
      durationNs: 1,
      effect: 0,
      bytes: -1,
    }))
    const records = new Assembler('main').chunks([{ startNs: 0, durationNs: 1e9 }], LooseSpans.of(spans), [])
    const digester = new Digester()
    for (const record of records) {
      if (record.record === 'declare') digester.declare(record)
      if (record.record === 'chunk') expect(digester.digest(record).spans.path.length).to.equal(20_000)
    }
    expect(names(records).at(-1)).to.equal('(more than a take may have)')
  })
})

describe('a table of spans', () => {
  const arbitrarySpan = fc.record({
    lane: fc.constantFrom('main', 'worker'),
    name: fc.constantFrom('a', 'b', 'c'),
    group: fc.constantFrom('', 'g'),
    kind: fc.constantFrom('work' as const, 'wait:job' as const),
    startNs: fc.nat(1_000),
    durationNs: fc.nat(50),
    effect: fc.nat(2),
    bytes: fc.integer({ min: -1, max: 9 }),
    key: fc.constantFrom(NO_KEY, 7),
    id: fc.constantFrom(undefined, '00f067aa0ba902b7', 'x'),
    parent: fc.constantFrom(undefined, '00f067aa0ba902b7'),
    events: fc.array(fc.record({ name: fc.constant('e'), atNs: fc.nat(1_000), data: fc.constant(null) }), {
      maxLength: 1,
    }),
  })
  /** What a row says, in words that two tables share. */
  const rowOf = (spans: LooseSpans, row: number) => ({
    ...spans.manners[spans.manner[row]!],
    times: [spans.startNs[row], spans.durationNs[row]],
    rest: [spans.effect[row], spans.bytes[row], spans.key[row]],
    id: [spans.idHigh[row], spans.idLow[row], spans.parentHigh[row], spans.parentLow[row]],
    events: spans.events.get(row) ?? [],
  })
  const rowsOf = (spans: LooseSpans) => Array.from({ length: spans.count }, (_, row) => rowOf(spans, row))

  it('takes over another whole, later by a time, however many there are', () => {
    const some = fc.array(arbitrarySpan, { maxLength: 9 })
    fc.assert(
      fc.property(some, some, fc.nat(5), fc.constantFrom(1, 700), (one, other, shift, times) => {
        const many = Array.from({ length: times }, () => other).flat()
        const table = LooseSpans.of(one)
        table.addAll(LooseSpans.of(many), shift)
        const moved = many.map((span) => ({
          ...span,
          startNs: span.startNs + shift,
          events: span.events.map((event) => ({ ...event, atNs: event.atNs + shift })),
        }))
        expect(rowsOf(table)).to.deep.equal(rowsOf(LooseSpans.of([...one, ...moved])))
        const ends = [...one, ...moved].map(({ startNs, durationNs }) => startNs + durationNs)
        expect(table.latestNs).to.equal(Math.max(...ends))
      }),
      { numRuns: 40 },
    )
  })

  it('keeps what its rows have in common, and nothing of those that are gone: names may be made per entity', () => {
    const table = LooseSpans.of(
      Array.from({ length: 50 }, (_, i): LooseSpan => ({
        ...{ lane: 'main', name: `letter ${i}`, group: '', kind: 'work', effect: 0, bytes: -1 },
        ...{ startNs: i, durationNs: 1 },
      })),
    )
    expect(table.between(40, 42).manners.map(({ name }) => name)).to.deep.equal(['letter 40', 'letter 41'])
    expect(table.between(50, 60).manners).to.deep.equal([])
  })

  it('gives those of a time, and those of any rows', () => {
    fc.assert(
      fc.property(fc.array(arbitrarySpan), fc.nat(1_000), fc.nat(1_000), (spans, from, until) => {
        const table = LooseSpans.of(spans)
        const during = spans.filter(({ startNs }) => startNs >= from && startNs < until)
        expect(rowsOf(table.between(from, until))).to.deep.equal(rowsOf(LooseSpans.of(during)))
        const backwards = Uint32Array.from(spans, (_, i) => spans.length - 1 - i)
        expect(rowsOf(table.those(backwards))).to.deep.equal(rowsOf(LooseSpans.of([...spans].reverse())))
      }),
    )
  })
})
