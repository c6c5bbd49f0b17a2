import { rosterOf } from '@lapsus/core/questions/roster'
import { scopedLedger } from '@lapsus/core/questions/ledger'
import { courseFigures, runTimesOf } from '@lapsus/core/questions/course'
import { expect } from 'chai'
import fc from 'fast-check'
import {
  allocatorsOf,
  breakingLoad,
  costAt,
  fitFrames,
  fitScaling,
  gatherEvidence,
  growthOf,
  instancesOf,
  loadOf,
  memoryOf,
  periodOf,
  pointsOf,
  rampFrames,
  stepFigures,
  waitingOf,
} from '@lapsus/core/detect'
import { coursesOf, ledgerRows, rollupOf, type LedgerBy } from '@lapsus/core/rollup'
import {
  buildStudy,
  ledgerOfFrames,
  pacingOf,
  partOfStudy,
  pathNames,
  StudyBuilder,
  type Study,
} from '@lapsus/core/study'
import { Digester } from '@lapsus/core/take'
import {
  chunksFrom,
  normalFrom,
  randomFrom,
  run,
  runs,
  studyFrom,
  type TestFrame,
} from './support/studies.ts'
import { arbitraryFrames, chunkRecord, declareRecord } from './support/takes.ts'

const MS = 1e6
const pathOf = (study: Study, name: string) =>
  [...study.courses.keys()].find((path) => pathNames(study, path).at(-1) === name)!

describe('a study', () => {
  const MARKERS = [
    { name: 'a', group: 'x' },
    { name: 'b', group: 'y' },
    { name: 'c', group: 'x' },
  ]

  /** Random frames in two chunks, as a study and as rollups. */
  const anyTake = fc.tuple(arbitraryFrames(3), arbitraryFrames(3)).map(([first, second]) => {
    const digester = new Digester()
    digester.declare(declareRecord(1, MARKERS, ['main', 'worker']))
    const one = chunkRecord(2, first)
    const endNs = (one.frameStartNs.at(-1) ?? 0) + (one.frameDurationNs.at(-1) ?? 0)
    const chunks = [one, chunkRecord(3, second, endNs)].map((record) => {
      const chunk = digester.digest(record)
      return { chunk, courses: coursesOf(chunk, digester.progress.paths) }
    })
    const study = buildStudy(
      { conditions: {}, target: 60, ...digester.progress },
      chunks.map(({ chunk, courses }) => ({
        frames: chunk.frames,
        courses,
        samples: chunk.samples,
        moments: chunk.moments,
        beginsStretch: false,
        dropped: 0,
      })),
    )
    return { study, chunks, paths: digester.progress.paths }
  })

  it('has the ledger that the rollups have, by path, marker and group', () => {
    fc.assert(
      fc.property(
        anyTake,
        fc.constantFrom<LedgerBy>('path', 'marker', 'group'),
        ({ study, chunks, paths }, by) => {
          const [first] = chunks
          const count = first!.chunk.frames.startNs.length
          const part = partOfStudy(study, 0, count)
          const mine = ledgerOfFrames(part, new Uint8Array(count).fill(1), by)
          const rolled = ledgerRows(rollupOf(first!.courses, paths, 0), by)
          expect(mine.map(({ key }) => key)).to.deep.equal(rolled.map(({ key }) => key))
          mine.forEach((row, i) => {
            const { selfP99Ns, ...exact } = rolled[i]!
            expect(row).to.deep.include(exact)
            // Rollups keep a sketch that is exact to a thousandth.
            expect(row.selfP99Ns).to.be.closeTo(selfP99Ns, 1 + selfP99Ns / 900)
          })
        },
      ),
    )
  })

  it('sums up any frames as if they were added one by one, be they few or many', () => {
    const random = randomFrom(5)
    const frames: TestFrame[] = Array.from({ length: 400 }, () => ({
      runs: ['a', 'b', 'c'].flatMap((name) =>
        random() < 0.6 ? runs(2, name, 1000 + Math.floor(random() * 9000)) : [],
      ),
    }))
    const study = studyFrom(frames)
    for (const share of [0.01, 0.05, 0.3, 1]) {
      const use = Uint8Array.from({ length: 400 }, () => (random() < share ? 1 : 0))
      const rows = ledgerOfFrames(study, use, 'path')
      for (const { key, calls, selfNs, frames: ran } of rows) {
        const course = study.courses.get(key)!
        const cells = [...course.frame.keys()].filter((cell) => use[course.frame[cell]!] === 1)
        expect(calls).to.equal(cells.reduce((sum, cell) => sum + course.calls[cell]!, 0))
        expect(selfNs).to.equal(cells.reduce((sum, cell) => sum + course.selfNs[cell]!, 0))
        expect(ran).to.equal(cells.length)
      }
    }
  })

  it('can be had while chunks are being added, and stays as it was', () => {
    const runOf = fc.record({
      name: fc.constantFrom('a', 'b', 'seldom'),
      calls: fc.integer({ min: 1, max: 3 }),
      effect: fc.option(fc.boolean(), { nil: undefined }),
    })
    const anyFrames = fc.array(fc.uniqueArray(runOf, { selector: ({ name }) => name }), {
      minLength: 1,
      maxLength: 40,
    })
    /** By path and frame: calls, and those that said that they changed nothing. */
    const cellsOf = (study: Study) =>
      [...study.courses.values()].flatMap(({ path, frame, calls, details }) =>
        [...frame].map((at, cell) => {
          const name = pathNames(study, path).at(-1)
          return `${at} ${name} ${calls[cell]} ${details?.needless[cell] ?? 0}`
        }),
      )
    fc.assert(
      fc.property(
        anyFrames,
        fc.integer({ min: 1, max: 9 }),
        fc.constantFrom(0, 1, 40, 1e6),
        (frames, chunkFrames, expected) => {
          const game = { chunkFrames, markers: { a: {}, b: {}, seldom: {} } }
          const { from, chunks } = chunksFrom(
            frames.map((found) => ({
              runs: found.flatMap(({ name, calls, effect }) =>
                runs(calls, name, 1000, effect === undefined ? {} : { effect }),
              ),
            })),
            game,
          )
          const builder = new StudyBuilder(expected)
          const soFar = chunks.map((chunk) => {
            builder.add(chunk)
            return builder.study(from)
          })
          soFar.forEach((study, i) => {
            const there = frames.slice(0, (i + 1) * chunkFrames)
            const cells = there.flatMap((found, at) =>
              found.map(
                ({ name, calls, effect }) => `${at} ${name} ${calls} ${effect === false ? calls : 0}`,
              ),
            )
            expect(cellsOf(study)).to.have.members(cells)
            expect(study.frames.startNs).to.have.length(there.length)
          })
          expect(builder.frames).to.equal(frames.length)
          expect(builder.cells).to.equal(cellsOf(soFar.at(-1)!).length)
        },
      ),
    )
  })

  it('has parts that are as if only those frames had been recorded', () => {
    fc.assert(
      fc.property(anyTake, fc.nat(20), fc.nat(20), ({ study }, a, b) => {
        const count = study.frames.startNs.length
        const [from, to] = [Math.min(a, b, count), Math.min(Math.max(a, b), count)]
        const part = partOfStudy(study, from, to)
        expect([...part.frames.workNs]).to.deep.equal([...study.frames.workNs.slice(from, to)])
        for (const [path, course] of study.courses) {
          const kept = [...course.frame.keys()].filter(
            (cell) => course.frame[cell]! >= from && course.frame[cell]! < to,
          )
          const mine = part.courses.get(path)
          expect(mine?.frame.length ?? 0).to.equal(kept.length)
          expect([...(mine?.frame ?? [])]).to.deep.equal(kept.map((cell) => course.frame[cell]! - from))
          expect([...(mine?.selfNs ?? [])]).to.deep.equal(kept.map((cell) => course.selfNs[cell]))
        }
        expect(part.firstFrame).to.equal(from === 0 && to === count ? 0 : from)
      }),
    )
  })

  it('tells of spikes what they have more than typical frames, marker by marker', () => {
    const frames: TestFrame[] = Array.from({ length: 300 }, (_, i) => ({
      runs: [
        run('sim', 5 * MS + (i % 7) * 1000),
        ...(i === 100 || i === 200 ? runs(10, 'burst', 2 * MS) : []),
      ],
    }))
    const evidence = gatherEvidence(studyFrom(frames))
    const { rows, frames: divisor } = scopedLedger(evidence, 'difference', 'path')
    expect(divisor).to.equal(1)
    const name = (key: number) => pathNames(evidence.study, key).at(-1)
    expect(rows.map(({ key }) => name(key))).to.deep.equal(['burst', 'sim'])
    expect(rows[0]).to.include({ calls: 10, selfNs: 20 * MS })
    expect(Math.abs(rows[1]!.selfNs)).to.be.lessThan(5000)
    expect(scopedLedger(evidence, 'spikes', 'path').frames).to.equal(2)
    expect(scopedLedger(evidence, 'typical', 'path').frames).to.be.within(140, 220)
  })

  it('gives one path’s course, its peaks and how long its runs take', () => {
    const frames: TestFrame[] = [3, 0, 5, 1].map((calls) => ({ runs: runs(calls, 'work', calls * 1000) }))
    const study = studyFrom(frames)
    const figures = courseFigures(study, [pathOf(study, 'work')])
    expect([...figures.calls]).to.deep.equal([3, 0, 5, 1])
    expect([...figures.selfNs]).to.deep.equal([9000, 0, 25_000, 1000])
    expect(figures.callsPerFrame).to.deep.equal({ least: 0, median: 2, most: 5 })
    expect(figures.peaks).to.deep.equal([2, 0, 3])
    const times = runTimesOf(Float64Array.from([100, 100, 200, 400, 100_000]))!
    expect(times).to.include({ runs: 5, leastNs: 100, medianNs: 200, worstNs: 100_000 })
    expect(times.bins.reduce((sum, bin) => sum + bin.runs, 0)).to.equal(5)
    expect(times.bins[0]!.runs).to.equal(2)
    expect(times.bins.at(-1)!.runs).to.equal(1)
    expect(runTimesOf(new Float64Array(0))).to.equal(null)
    expect(runTimesOf(Float64Array.from([7, 7]))!.bins).to.deep.equal([{ fromNs: 7, toNs: 7, runs: 2 }])
  })
})

describe('scaling laws', () => {
  const grown = (law: (n: number) => number, noise: number, seed: number) => {
    const random = randomFrom(seed)
    const load = Float64Array.from({ length: 1200 }, () => 20 + Math.floor(random() * 180))
    const cost = load.map((n) => law(n) * (1 + noise * normalFrom(random)))
    return fitScaling(pointsOf(load, cost, new Uint8Array(1200).fill(1)))
  }

  it('are told apart with 5 % noise, with the exponent in its interval', () => {
    let right = 0
    let inside = 0
    for (let seed = 1; seed <= 20; seed++) {
      for (const [law, shape, exponent] of [
        ['1', () => 500_000, 0],
        ['n', (n: number) => 20_000 + 5_000 * n, 1],
        ['n²', (n: number) => 100_000 + 80 * n * n, 2],
      ] as const) {
        const { best, exponent: found, explained } = grown(shape, 0.05, seed)
        if (best!.law === law) right++
        if (law === '1') continue
        if (found !== null && found.low <= exponent && found.high >= exponent) inside++
        expect(explained).to.be.greaterThan(0.9)
      }
    }
    expect(right).to.be.at.least(57)
    expect(inside).to.be.at.least(36)
  })

  it('are no surer for frames that hang together', () => {
    // Load and machine both wander: a few slow stretches are no hundred observations.
    const wandering = (seed: number, law: (n: number) => number) => {
      const random = randomFrom(seed)
      let [off, n] = [0, 100]
      const load = new Float64Array(1200)
      const cost = load.map((_, frame) => {
        off = 0.98 * off + Math.sqrt(1 - 0.98 ** 2) * normalFrom(random)
        if (random() < 0.3) n += (random() < 0.5 ? -1 : 1) * Math.ceil(random() * 4)
        load[frame] = n = Math.min(200, Math.max(20, n))
        return law(n) * (1 + 0.1 * off)
      })
      return fitFrames(load, cost, new Uint8Array(1200).fill(1))
    }
    let [laws, told, inside] = [0, 0, 0]
    for (let seed = 1; seed <= 150; seed++) {
      if (wandering(seed, () => 500_000).best?.law !== '1') laws++
      const { exponent } = wandering(seed, (n) => 20_000 + 5_000 * n)
      if (exponent === null) continue
      told++
      if (exponent.low <= 1 && exponent.high >= 1) inside++
    }
    expect(laws / 150).to.be.at.most(0.16)
    expect(told).to.be.at.least(120)
    expect(inside / told).to.be.at.least(0.72)
  })

  it('are exact where nothing is in their way, however frames are gathered', () => {
    const load = Float64Array.from({ length: 900 }, (_, frame) => 60 + Math.round(40 * Math.sin(frame / 25)))
    const { exponent } = fitFrames(
      load,
      load.map((n) => n * n * 1_000),
      new Uint8Array(900).fill(1),
    )
    for (const value of Object.values(exponent!)) expect(value).to.be.closeTo(2, 1e-9)
  })

  it('say at which load the budget breaks', () => {
    const scaling = grown((n) => 1 * MS + 100 * n * n, 0, 1)
    expect(scaling.best!.law).to.equal('n²')
    expect(breakingLoad(scaling, 10 * MS)).to.be.closeTo(300, 1)
    expect(costAt(scaling.best!, 300)).to.be.closeTo(10 * MS, 20_000)
    expect(
      breakingLoad(
        grown(() => MS, 0, 1),
        10 * MS,
      ),
    ).to.equal(null)
    expect(breakingLoad(scaling, 0.5 * MS)).to.equal(0)
  })

  it('of a product are named so', () => {
    const n = Float64Array.from({ length: 400 }, (_, i) => 10 + (i % 20))
    const m = Float64Array.from({ length: 400 }, (_, i) => 5 + Math.floor(i / 20))
    const load = loadOf([n, m], 400)
    expect([...load.slice(0, 2)]).to.deep.equal([50, 55])
    const { best } = fitScaling(
      pointsOf(
        load,
        load.map((product) => 40_000 + 700 * product),
        new Uint8Array(400).fill(1),
      ),
      true,
    )
    expect(best).to.include({ law: 'n·m' })
    expect(best!.slopeNs).to.be.closeTo(700, 0.1)
  })

  it('say nothing where the load hardly varies, or is not told', () => {
    const flat = new Float64Array(100).fill(50)
    expect(fitScaling(pointsOf(flat, flat, new Uint8Array(100).fill(1))).best).to.equal(null)
    const unknown = new Float64Array(100).fill(NaN)
    expect(pointsOf(unknown, flat, new Uint8Array(100).fill(1))).to.deep.equal([])
  })

  it('use the frames of a ramp alone, where there is one', () => {
    expect([...rampFrames([], 3)]).to.deep.equal([1, 1, 1])
    const moments = [
      { name: 'ramp', frame: 1 },
      { name: 'ramp-end', frame: 3 },
    ]
    expect([...rampFrames(moments, 5)]).to.deep.equal([0, 1, 1, 0, 0])
  })
})

describe('memory', () => {
  const COLLECT = {
    'collection (minor)': { kind: 'collect' as const },
    'collection (major)': { kind: 'collect' as const },
  }

  it('blames for each collection who allocated since the last of its kind', () => {
    const frames: TestFrame[] = [
      { runs: [run('a', 1000, { bytes: 100 }), run('b', 1000, { bytes: 300 })] },
      { runs: [run('a', 1000, { bytes: 100, children: [run('collection (minor)', 5000)] })] },
      { runs: [run('b', 1000, { bytes: 50 })] },
      {
        runs: [
          run('a', 1000, { bytes: 150 }),
          run('collection (minor)', 7000),
          run('collection (major)', 9000),
        ],
      },
    ]
    const { collections, study } = gatherEvidence(studyFrom(frames, { markers: COLLECT }))
    const told = collections.map(({ frame, kind, pauseNs, blame }) => ({
      frame,
      kind,
      pauseNs,
      blame: blame.map(({ path, bytes }) => [pathNames(study, path).at(-1), bytes]),
    }))
    expect(told).to.deep.equal([
      {
        frame: 1,
        kind: 'collection (minor)',
        pauseNs: 5000,
        blame: [
          ['b', 300],
          ['a', 200],
        ],
      },
      {
        frame: 3,
        kind: 'collection (minor)',
        pauseNs: 7000,
        blame: [
          ['a', 150],
          ['b', 50],
        ],
      },
      {
        frame: 3,
        kind: 'collection (major)',
        pauseNs: 9000,
        blame: [
          ['a', 350],
          ['b', 350],
        ],
      },
    ])
    expect(allocatorsOf(study).map(({ steady, share }) => [steady, share])).to.deep.equal([
      [false, 0.75],
      [false, 0.5],
    ])
  })

  it('takes allocation from the rises of the heap where bytes are not recorded', () => {
    const heap = [10, 14, 18, 5, 9]
    const frames = heap.map((value) => ({ runs: [run('a', 10 * MS)], gauges: { heap: value * 1000 } }))
    const memory = memoryOf(
      gatherEvidence(studyFrom(frames, { conditions: { more: { 'memory limit MB': 64 } } })),
    )
    expect(memory.allocatedFrom).to.equal('heap')
    expect([...memory.allocated]).to.deep.equal([NaN, 4000, 4000, NaN, 4000])
    // 4,000 bytes each 10 ms.
    expect(memory.bytesPerSecond).to.be.closeTo(400_000, 1e-6)
    expect(memory.limitBytes).to.equal(64e6)
    expect(memory.limitInS, 'its floor does not rise').to.equal(null)
    expect(memory.growing).to.deep.equal([])
  })

  it('tells when a heap that grows under its collections reaches what the device has', () => {
    // 1 MB more each second stays, in a saw of 2 MB; 30 s of 60 frames each, from 20 MB on.
    const frames = Array.from({ length: 1800 }, (_, i) => ({
      runs: [run('a', 1e9 / 60)],
      gauges: { heap: 20e6 + (i / 60) * 1e6 + (i % 50) * 40_000 },
    }))
    const memory = memoryOf(
      gatherEvidence(studyFrom(frames, { conditions: { more: { 'memory limit MB': 80 } } })),
    )
    // From 50 MB at the end.
    expect(memory.limitInS).to.be.closeTo(30, 1)
  })

  it('says nothing where nothing is told', () => {
    const memory = memoryOf(gatherEvidence(studyFrom([{ runs: [run('a', MS)] }])))
    expect(memory).to.deep.include({
      heap: null,
      allocatedFrom: 'nothing',
      bytesPerSecond: 0,
      nextCollectionMs: null,
      limitBytes: null,
      limitInS: null,
    })
  })

  it('expects the next collection at the usual distance from the last', () => {
    const frames = Array.from({ length: 100 }, (_, i) => ({
      runs: [
        run('a', 10 * MS - (i % 30 === 0 ? 1000 : 0), {
          children: i % 30 === 0 ? [run('collection (minor)', 1000)] : [],
        }),
      ],
    }))
    const { nextCollectionMs, collections } = memoryOf(
      gatherEvidence(studyFrom(frames, { markers: COLLECT })),
    )
    expect(collections[0]).to.include({ count: 4, everyMs: 300 })
    // The last began with frame 90, and the take ends with frame 99.
    expect(nextCollectionMs).to.be.closeTo(200, 1e-6)
  })

  it('counts instances from births and deaths, those before the take included', () => {
    const frames: TestFrame[] = [
      [2, 0],
      [0, 3],
      [1, 0],
    ].map(([born, died]) => ({ runs: [], restNs: MS, lives: { imp: [born!, died!] } }))
    const [imps] = instancesOf(studyFrom(frames))
    expect([...imps!.alive]).to.deep.equal([3, 0, 1])
    expect(imps).to.include({ born: 3, died: 3, relative: true })
  })

  it('sees growth by Theil and Sen, not what comes and goes', () => {
    const study = studyFrom(Array.from({ length: 600 }, () => ({ runs: [run('a', 10 * MS)] })))
    const rising = Float64Array.from({ length: 600 }, (_, i) => 5 + i / 10 + (i % 3))
    expect(growthOf(study, rising)!.perSecond).to.be.closeTo(10, 0.1)
    expect(
      growthOf(
        study,
        rising.map((value, i) => (i > 300 ? value - 30 : value)),
      ),
    ).to.equal(null)
    expect(growthOf(study, new Float64Array(600).fill(7))).to.equal(null)
    expect(growthOf(study, new Float64Array(600).fill(NaN))).to.equal(null)
  })
})

describe('the roster', () => {
  it('tells what runs, how often, and whether it needs to', () => {
    const frames: TestFrame[] = Array.from({ length: 120 }, (_, i) => ({
      runs: [
        ...runs(4, 'npc', 50_000, { effect: i % 2 === 0 }),
        run('text', 100_000),
        ...(i % 30 === 7 ? [run('chore', MS)] : []),
        ...(i === 3 || i === 77 ? [run('rare', MS)] : []),
      ],
      restNs: 10 * MS - 4 * 50_000 - 100_000 - (i % 30 === 7 ? MS : 0) - (i === 3 || i === 77 ? MS : 0),
      updaters: { npcs: [5, 4, 1] },
      watches: { tally: [1, i % 10 === 0 ? 1 : 0] },
    }))
    const rows = rosterOf(
      gatherEvidence(
        studyFrom(frames, {
          classes: { npcs: 'npc' },
          markers: { text: { watches: ['tally'], group: 'ui' } },
        }),
      ),
    )
    expect(rows.map(({ sort, name }) => `${sort} ${name}`)).to.deep.equal([
      'updater npcs',
      'marker text',
      'marker chore',
    ])
    const [npcs, text, chore] = rows
    expect(npcs).to.deep.include({ instances: 5, enabled: 4, asleep: 0.25, needless: 0.5, everyFrames: 1 })
    expect(npcs!.runsPerSecond).to.be.closeTo(400, 1e-6)
    expect(npcs!.msPerFrame).to.be.closeTo(0.2, 1e-9)
    // 0.2 ms in each 10 ms is 72 s an hour.
    expect(npcs!.msPerHour).to.be.closeTo(72_000, 1e-3)
    expect(text!.watches).to.deep.equal([{ name: 'tally', looksPerSecond: 100, changesPerSecond: 10 }])
    expect(text!.group).to.equal('ui')
    expect(chore).to.include({ everyFrames: 30, phase: 7 })
  })

  it('knows periods, with a frame of slack, and what has none', () => {
    const every = (gaps: number[]) =>
      periodOf({
        frame: Uint32Array.from(gaps.map((_, i) => gaps.slice(0, i + 1).reduce((a, b) => a + b, 0))),
      })
    expect(every([5, 60, 60, 61, 59, 60])).to.deep.include({ frames: 60 })
    expect(every([5, 60, 10, 90, 33, 60])).to.equal(null)
    expect(every([1, 1, 1, 1, 1])).to.deep.equal({ frames: 1, phase: 0 })
    expect(every([1, 5])).to.equal(null)
  })
})

describe('waiting', () => {
  it('is told from work, by reason and by path', () => {
    const frames: TestFrame[] = [
      { runs: [run('sim', 5 * MS), run('refresh', 11 * MS)] },
      { runs: [run('sim', 20 * MS)] },
      { runs: [run('sim', 5 * MS), run('gpu', 20 * MS), run('refresh', 8 * MS)] },
      { runs: [run('sim', 5 * MS), run('disk', 40 * MS)] },
    ]
    const markers = {
      refresh: { kind: 'wait:refresh' as const },
      gpu: { kind: 'wait:graphics' as const },
      disk: { kind: 'wait:io' as const },
    }
    const waiting = waitingOf(gatherEvidence(studyFrom(frames, { markers })))
    expect(waiting).to.deep.include({
      frames: 4,
      over: 1,
      held: 2,
      heldBy: { refresh: 0, graphics: 1, job: 0, io: 1 },
    })
    expect(waiting.waitNs.refresh).to.equal((19 / 4) * MS)
    expect(waiting.paths.map(({ reason, worstFrame }) => [reason, worstFrame])).to.deep.equal([
      ['io', 3],
      ['graphics', 2],
      ['refresh', 0],
    ])
    expect(waiting.steps).to.deep.equal([])
  })

  it('knows the cost of a fixed step, and how full it is', () => {
    const frames: TestFrame[] = [2, 2, 3, 2, 8].map((steps) => ({
      runs: runs(steps, 'step', MS),
      restNs: 10 * MS - steps * MS,
      steps,
    }))
    const evidence = gatherEvidence(studyFrom(frames))
    const figures = stepFigures(evidence)!
    expect(figures).to.include({ costNs: MS, usual: 2 })
    // 50 ms for 17 steps.
    expect(figures.lengthNs).to.be.closeTo((50 / 17) * MS, 1)
    expect(figures.utilisation).to.be.closeTo(17 / 50, 1e-9)
    expect(waitingOf(evidence).steps.map(({ steps, frames: count }) => [steps, count])).to.deep.equal([
      [2, 2],
      [3, 1],
      [8, 1],
    ])
  })
})

describe('pacing', () => {
  const durations = (make: (i: number) => number) =>
    Float64Array.from({ length: 300 }, (_, i) => make(i) * MS)

  it('is inferred from the clusters of the durations', () => {
    const refresh = 1000 / 60
    const locked = pacingOf(durations((i) => (i % 25 === 0 ? 2 * refresh : refresh) + (i % 3) * 0.05))
    expect(locked).to.deep.include({ pacing: 'refresh-locked', missed: 12 })
    expect(locked.periodMs).to.be.closeTo(refresh, 1e-9)
    expect(pacingOf(durations((i) => 20 + (i % 5) * 0.1))).to.include({ pacing: 'capped', missed: null })
    const random = randomFrom(1)
    expect(pacingOf(durations(() => 6 + random() * 9))).to.include({ pacing: 'uncapped', periodMs: null })
    expect(pacingOf(new Float64Array(5))).to.include({ pacing: 'uncapped' })
  })

  it('is a limit where a game sleeps to its target, however unevenly it is woken', () => {
    const target = 1000 / 60
    const random = randomFrom(8)
    const woken = durations(() => target * (1 + 0.25 * random() ** 2))
    expect(pacingOf(woken)).to.include({ pacing: 'uncapped' })
    expect(pacingOf(woken, target)).to.include({ pacing: 'capped', periodMs: target })
    // Shorter than nine tenths of it: one frame of twenty at most.
    const short = (share: number) =>
      durations((i) => (i % 100 < share * 100 ? 0.89 * target : target * (1 + 0.25 * random() ** 2)))
    expect(pacingOf(short(0.05), target).pacing).to.equal('capped')
    expect(pacingOf(short(0.06), target).pacing).to.equal('uncapped')
    expect(
      pacingOf(
        durations(() => 3 + random() * 20),
        target,
      ).pacing,
    ).to.equal('uncapped')
  })
})
