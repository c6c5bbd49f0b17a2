import { expect } from 'chai'
import fc from 'fast-check'
import {
  completedBy,
  coursesOf,
  coverChunks,
  idOfKey,
  laneKey,
  laneOfKey,
  ledgerRows,
  LEVEL_FACTOR,
  mergeRollups,
  packCourses,
  rollupOf,
  unpackCourses,
} from '@lapsus/core/rollup'
import { bucketOf, percentile } from '@lapsus/core/stats'
import { Digester, NO_PATH } from '@lapsus/core/take'
import {
  arbitraryFrames,
  chunkRecord,
  declareRecord,
  totalOf,
  type FrameSpec,
  type Node,
} from './support/takes.ts'

const MARKERS = [
  { name: 'a', group: 'g' },
  { name: 'b', group: 'g' },
  { name: 'c', group: 'h' },
]

/** What a ledger should say, worked out from the trees with no code in common. */
function bruteForce(frames: FrameSpec[], by: 'path' | 'marker' | 'group') {
  const nameOf = (marker: number) => (by === 'group' ? MARKERS[marker]!.group : MARKERS[marker]!.name)
  const rows = new Map<
    string,
    { calls: number; selfNs: number; totalNs: number; perFrame: number[]; ran: Set<number> }
  >()
  frames.forEach((frame, f) => {
    frame.lanes.forEach((roots, lane) => {
      const visit = (span: Node, chain: string[]) => {
        const own = by === 'path' ? MARKERS[span.marker]!.name : nameOf(span.marker)
        const key = by === 'path' ? `${lane}/${[...chain, own].join('/')}` : `${lane}/${own}`
        let row = rows.get(key)
        if (!row)
          rows.set(
            key,
            (row = { calls: 0, selfNs: 0, totalNs: 0, perFrame: frames.map(() => 0), ran: new Set() }),
          )
        row.calls++
        row.selfNs += span.selfNs
        row.perFrame[f]! += span.selfNs
        row.ran.add(f)
        if (by === 'path' || !chain.includes(own)) row.totalNs += totalOf(span)
        for (const child of span.children) visit(child, [...chain, own])
      }
      for (const root of roots) visit(root, [])
    })
  })
  return rows
}

/** Digests the frames in chunks of the given size and rolls each up. */
function rolledUp(frames: FrameSpec[], chunkFrames: number) {
  const digester = new Digester()
  digester.declare(declareRecord(1, MARKERS, ['main', 'worker 1']))
  const parts = []
  let startNs = 0
  for (let at = 0; at < frames.length; at += chunkFrames) {
    const chunk = digester.digest(chunkRecord(2, frames.slice(at, at + chunkFrames), startNs))
    startNs = chunk.frames.startNs.at(-1)! + chunk.frames.durationNs.at(-1)!
    parts.push({ courses: coursesOf(chunk, digester.progress.paths), firstFrame: chunk.firstFrame })
  }
  return { parts, progress: digester.progress }
}

describe('rollups', () => {
  for (const by of ['path', 'marker', 'group'] as const) {
    it(`merge to what brute force says, by ${by}`, () => {
      fc.assert(
        fc.property(arbitraryFrames(3, 14), fc.integer({ min: 1, max: 6 }), (frames, chunkFrames) => {
          const { parts, progress } = rolledUp(frames, chunkFrames)
          const merged = mergeRollups(
            parts.map(({ courses, firstFrame }) => rollupOf(courses, progress.paths, firstFrame)),
          )
          const groups = progress.declarations.groups
          const label = (key: number) => {
            if (by === 'marker') return `${laneOfKey(key)}/${MARKERS[idOfKey(key)]!.name}`
            if (by === 'group') return `${laneOfKey(key)}/${groups[idOfKey(key)]}`
            const chain = progress.paths.chain(key).map((id) => MARKERS[progress.paths.get(id).marker]!.name)
            return `${progress.paths.get(key).lane}/${chain.join('/')}`
          }
          const expected = bruteForce(frames, by)
          const rows = ledgerRows(merged, by)
          expect(rows.map((row) => label(row.key)).sort()).to.deep.equal([...expected.keys()].sort())
          for (const row of rows) {
            const want = expected.get(label(row.key))!
            expect(row).to.include({
              calls: want.calls,
              selfNs: want.selfNs,
              totalNs: want.totalNs,
              frames: want.ran.size,
            })
            expect(row.worstSelfNs).to.equal(Math.max(...want.perFrame))
            expect(want.perFrame[row.worstFrame]).to.equal(row.worstSelfNs)
            const p99 = percentile(want.perFrame, 0.99)
            expect(Math.abs(row.selfP99Ns - p99)).to.be.at.most(p99 * 0.001 + 1e-6)
          }
        }),
      )
    })
  }

  it('count the self times of a row in ascending buckets, whether they lie close together or far apart', () => {
    fc.assert(
      fc.property(
        fc.oneof(
          fc.array(fc.integer({ min: 90_000, max: 110_000 }), { minLength: 1, maxLength: 60 }),
          fc.array(fc.oneof(fc.nat(3), fc.maxSafeNat()), { minLength: 1, maxLength: 60 }),
        ),
        (times) => {
          const frames = times.length
          const courses = {
            frames,
            path: Uint32Array.of(0),
            cellEnd: Uint32Array.of(frames),
            frame: Uint32Array.from(times.keys()),
            calls: new Uint32Array(frames).fill(1),
            selfNs: Float64Array.from(times),
            totalNs: Float64Array.from(times),
            details: null,
          }
          const digester = new Digester()
          digester.declare(declareRecord(1, MARKERS, ['main']))
          digester.progress.paths.child(NO_PATH, 0, digester.progress.declarations.marker(0))
          const counts = new Map<number, number>()
          for (const time of times) counts.set(bucketOf(time), (counts.get(bucketOf(time)) ?? 0) + 1)
          const wanted = [...counts].sort(([a], [b]) => a - b)
          const { bucket, bucketCount, bucketEnd } = rollupOf(courses, digester.progress.paths, 0).paths
          expect([...bucket].map((one, i) => [one, bucketCount[i]])).to.deep.equal(wanted)
          expect([...bucketEnd]).to.deep.equal([wanted.length])
        },
      ),
    )
  })

  it('of any range equal the rollup of those frames alone', () => {
    const cases = arbitraryFrames(3, 14).filter((frames) => frames.length > 1)
    fc.assert(
      fc.property(cases, fc.nat(), fc.nat(), (frames, a, b) => {
        const { parts, progress } = rolledUp(frames, 100)
        const [from, to] = [a % frames.length, b % frames.length].sort((x, y) => x - y) as [number, number]
        const ranged = rollupOf(parts[0]!.courses, progress.paths, 0, from, to + 1)
        const rows = ledgerRows(ranged, 'path')
        const expected = bruteForce(frames.slice(from, to + 1), 'path')
        expect(rows.length).to.equal(expected.size)
        expect(rows.reduce((sum, row) => sum + row.selfNs, 0)).to.equal(
          [...expected.values()].reduce((sum, row) => sum + row.selfNs, 0),
        )
        for (const row of rows) expect(row.worstFrame).to.be.within(from, to)
      }),
    )
  })

  it('of nothing are empty', () => {
    const nothing = mergeRollups([])
    expect(nothing.frames).to.equal(0)
    expect(ledgerRows(nothing, 'path')).to.deep.equal([])
  })

  it('pack and unpack their courses', () => {
    fc.assert(
      fc.property(arbitraryFrames(3), (frames) => {
        for (const { courses } of rolledUp(frames, 5).parts) {
          expect(unpackCourses(packCourses(courses))).to.deep.equal(courses)
        }
      }),
    )
  })
})

describe('levels', () => {
  it('cover any range of chunks exactly, with few nodes', () => {
    fc.assert(
      fc.property(fc.nat(5000), fc.nat(5000), (a, b) => {
        const [from, to] = [Math.min(a, b), Math.max(a, b)]
        const nodes = coverChunks(from, to)
        let at = from
        for (const { level, index } of nodes) {
          expect(index * LEVEL_FACTOR ** level).to.equal(at)
          at += LEVEL_FACTOR ** level
        }
        expect(at).to.equal(to)
        expect(nodes.length).to.be.at.most(2 * (LEVEL_FACTOR - 1) * 4)
        // Only nodes that exist once the range's chunks are stored.
        const stored = new Set(
          Array.from({ length: to }, (_, i) => completedBy(i))
            .flat()
            .map((n) => `${n.level}/${n.index}`),
        )
        for (const node of nodes)
          if (node.level > 0) expect(stored.has(`${node.level}/${node.index}`)).to.equal(true)
      }),
      { numRuns: 30 },
    )
  })

  it('complete a higher level with its last chunk', () => {
    expect(completedBy(14)).to.deep.equal([])
    expect(completedBy(15)).to.deep.equal([{ level: 1, index: 0 }])
    expect(completedBy(255)).to.deep.equal([
      { level: 1, index: 15 },
      { level: 2, index: 0 },
    ])
  })

  it('keys hold lane and number', () => {
    const key = laneKey(3, 77)
    expect([laneOfKey(key), idOfKey(key)]).to.deep.equal([3, 77])
  })
})
