/** Comparisons: what is claimed of their intervals, by simulation; and what they say, by hand. */
import { expect } from 'chai'
import {
  compareTakes,
  comparisonReport,
  counterpartOf,
  sameMoments,
  tellComparison,
  tellingFrames,
  type Comparison,
} from '@lapsus/core/compare'
import { blockLength, drawBlocks, steadyRandom } from '@lapsus/core/stats'
import { pathNames, type Study } from '@lapsus/core/study'
import { isLong } from '../../../test/support/extent.ts'
import {
  normalFrom,
  randomFrom,
  run,
  runs,
  studyFrom,
  type TestFrame,
  type TestGame,
} from './support/studies.ts'

const MS = 1e6

interface Made {
  seed: number
  /** How many times as long everything takes. */
  slow?: number
  count?: number
  /** How far frames hang together. */
  phi?: number
  seekMs?: number
  seeks?: number
  /** Share of frames with a spike. */
  spikes?: number
  noise?: number
  game?: TestGame
}

function take(made: Made): Study {
  const {
    seed,
    slow = 1,
    count = 600,
    phi = 0.8,
    seekMs = 2,
    seeks = 1,
    spikes = 0.01,
    noise = 1,
    game,
  } = made
  const random = randomFrom(seed)
  let off = 0
  const frames = Array.from({ length: count }, (): TestFrame => {
    off = phi * off + Math.sqrt(1 - phi * phi) * normalFrom(random)
    const ns = (ms: number) =>
      Math.max(1, Math.round(ms * MS * slow * (1 + noise * (0.06 * off + 0.04 * normalFrom(random)))))
    const spike = random() < spikes ? 15 * MS * slow : 0
    return {
      runs: [
        run('sim', ns(1), { children: [...runs(seeks, 'seek', ns(seekMs / seeks)), run('belt', ns(0.5))] }),
        run('draw', ns(2)),
        run('sound', ns(0.8)),
        run('hud', ns(0.7) + spike),
      ],
    }
  })
  return studyFrom(frames, game)
}

const pathOf = ({ paths }: Comparison, name: string) => paths.find(({ path }) => path.at(-1) === name)!
const figureOf = ({ frames }: Comparison, name: string) => frames.find(({ figure }) => figure === name)!
const holds = ({ low, high }: { low: number; high: number }, truth: number) => low <= truth && high >= truth

/** Of so few pairs a share scatters by 3 of 100: intervals that are half as wide would hold the truth in 67. */
const COVERAGE = isLong ? { pairs: 400, least: 93, most: 97 } : { pairs: 60, least: 87, most: 100 }

describe('a comparison of takes', () => {
  const { pairs, least, most } = COVERAGE
  it(`has intervals that hold the truth in ${least} to ${most} of 100, and calls hardly anything that did not change`, () => {
    let [mean, seek, called] = [0, 0, 0]
    for (let i = 1; i <= pairs; i++) {
      const before = take({ seed: 2 * i })
      const changed = compareTakes([before], [take({ seed: 2 * i + 1, slow: 1.4, seekMs: 1.7 })])
      if (holds(figureOf(changed, 'mean'), -0.3)) mean++
      if (holds(pathOf(changed, 'seek'), -0.3)) seek++
      if (i % 2 === 0) continue
      const alike = compareTakes([before], [take({ seed: 2 * i + 1_001 })])
      if (alike.paths.some(({ verdict }) => verdict === 'worse')) called++
    }
    expect((100 * mean) / pairs, 'mean').to.be.within(least, most)
    expect((100 * seek) / pairs, 'seek').to.be.within(least, most)
    expect(called / (pairs / 2), 'called').to.be.at.most(0.05)
  })

  it('takes the machine’s speed out, and finds what really changed', () => {
    const told = tellComparison([take({ seed: 1 })], [take({ seed: 2, slow: 1.4, seekMs: 0.5 })])
    expect(told.speed.ratio).to.be.closeTo(1.4, 0.06)
    expect(holds(told.speed, 1.4)).to.equal(true)
    expect(pathOf(told, 'seek')).to.include({ verdict: 'better', change: 'both' })
    expect(pathOf(told, 'seek').difference).to.be.closeTo(-1.5, 0.08)
    // As recorded it is no better at all than half of it.
    expect(pathOf(told, 'seek').after.msPerFrame).to.be.closeTo(0.7, 0.05)
    expect(pathOf(told, 'draw').verdict).to.be.oneOf(['same', 'cannot-tell'])
    expect(told.sentence).to.match(
      /^1\.\d+ ms a frame better, surely; seek is 1\.\d+ ms better; the machine was 1\.\d+ × slower the second time, taken out\.$/,
    )
    expect(told.alike.differences).to.deep.equal([])
  })

  it('splits a change into more runs and dearer runs', () => {
    const more = pathOf(compareTakes([take({ seed: 1 })], [take({ seed: 2, seeks: 4, seekMs: 8 })]), 'seek')
    expect(more.verdict).to.equal('worse')
    expect([more.before.callsPerFrame, more.after.callsPerFrame]).to.deep.equal([1, 4])
    expect(more.fromRunsMs).to.be.closeTo(6, 0.3)
    expect(more.fromCostMs).to.be.closeTo(0, 0.3)
    expect(more.fromRunsMs + more.fromCostMs).to.be.closeTo(more.difference, 1e-9)
    const dearer = pathOf(compareTakes([take({ seed: 1 })], [take({ seed: 2, seekMs: 5 })]), 'seek')
    expect([dearer.fromRunsMs, dearer.fromCostMs].map(Math.round)).to.deep.equal([0, 3])
  })

  it('tells bytes and needless runs of each side, where they were recorded', () => {
    const side = (bytes: number, conditions: TestGame['conditions'] = { mode: 'bytes' }) =>
      studyFrom(
        Array.from({ length: 40 }, (_, i): TestFrame => ({
          runs: [run('sim', MS, { children: runs(3, 'text', MS, { bytes, effect: i % 4 === 0 }) })],
        })),
        { conditions },
      )
    const { before, after } = pathOf(compareTakes([side(10)], [side(20)]), 'text')
    expect([before, after].map(({ bytesPerFrame }) => bytesPerFrame)).to.deep.equal([30, 60])
    expect(after.needlessPerFrame).to.equal(2.25)
    const untold = pathOf(compareTakes([side(10)], [side(20, {})]), 'text')
    expect([untold.before.bytesPerFrame, untold.after.bytesPerFrame]).to.deep.equal([30, null])
  })

  it('is surer frame by frame, where both are the same run', () => {
    const game = { conditions: { seed: 7 } }
    // The same noise of the game, and a little of the machine’s own.
    const one = take({ seed: 5, game, spikes: 0.05 })
    const other = take({ seed: 5, game, spikes: 0.05, seekMs: 1.9 })
    const paired = compareTakes([one], [other])
    expect(paired.paired).to.equal(true)
    const apart = compareTakes([one], [take({ seed: 6, spikes: 0.05, seekMs: 1.9 })])
    expect(apart.paired).to.equal(false)
    const width = (comparison: Comparison) =>
      figureOf(comparison, 'mean').high - figureOf(comparison, 'mean').low
    expect(width(paired)).to.be.below(width(apart) / 2)
    expect(holds(figureOf(paired, 'mean'), -0.1)).to.equal(true)
  })

  it('names what is new, gone, and moved under another caller', () => {
    const made = (caller: string, extra: boolean) =>
      studyFrom(
        Array.from({ length: 300 }, () => ({
          runs: [
            run('sim', MS, { children: [run('a', MS), run('b', MS), run('c', MS)] }),
            run(caller, 100_000, { children: [run('seek', MS)] }),
            ...(extra ? [run('fog', MS)] : [run('rain', MS)]),
          ],
        })),
      )
    const told = compareTakes([made('old', false)], [made('new', true)])
    expect(pathOf(told, 'fog')).to.include({ change: 'appeared', verdict: 'worse' })
    expect(pathOf(told, 'rain')).to.include({ change: 'vanished', verdict: 'better' })
    const seek = told.paths.find(({ path }) => path.join() === 'new,seek')!
    expect(seek.movedFrom).to.deep.equal(['old', 'seek'])
  })

  it('of several takes on a side is surer than of one', () => {
    const before = [1, 2, 3].map((seed) => take({ seed }))
    const after = [4, 5, 6].map((seed) => take({ seed, seekMs: 1.8 }))
    const width = (comparison: Comparison) => pathOf(comparison, 'seek').high - pathOf(comparison, 'seek').low
    expect(width(compareTakes(before, after))).to.be.below(
      0.8 * width(compareTakes([before[0]!], [after[0]!])),
    )
  })

  it('says how much more to record where it cannot tell', () => {
    const row = pathOf(
      compareTakes(
        [take({ seed: 1, count: 120, noise: 4 })],
        [take({ seed: 2, count: 120, noise: 4, seekMs: 2.2 })],
      ),
      'seek',
    )
    expect(row.verdict).to.equal('cannot-tell')
    expect(row.secondsMore).to.be.greaterThan(0)
  })

  it('says in words what is not alike; another build is no difference', () => {
    const of = (conditions: object) => take({ seed: 1, game: { conditions } })
    const told = (one: object, other: object) => tellComparison([of(one)], [of(other)]).alike.differences
    expect(told({ build: 'a' }, { build: 'b' })).to.deep.equal([])
    expect(told({ device: 'big' }, { device: 'small' })).to.deep.equal([
      'device: “big” before, “small” after',
    ])
  })

  it('is refused in words where there is nothing to compare, and open where there is too little', () => {
    const empty = studyFrom([])
    expect(() => compareTakes([empty], [take({ seed: 1 })])).to.throw(RangeError, 'no frames before')
    expect(() => compareTakes([take({ seed: 1 })], [empty])).to.throw(RangeError, 'no frames after')
    expect(() => compareTakes([take({ seed: 1 })], [studyFrom([{ runs: [run('other', MS)] }])])).to.throw(
      'no marker in common',
    )
    const one = compareTakes([take({ seed: 1, count: 1 })], [take({ seed: 2, count: 1 })])
    for (const row of [...one.frames, ...one.paths]) {
      expect(row.verdict).to.equal('cannot-tell')
      expect([row.low, row.high, row.secondsMore]).to.deep.equal([-Infinity, Infinity, null])
    }
  })

  it('reads as a report, for people and as Markdown', () => {
    const told = tellComparison([take({ seed: 1 })], [take({ seed: 2, seekMs: 5 })])
    const text = comparisonReport(told)
    expect(text.split('\n')[0]).to.equal(told.sentence)
    expect(text).to.match(
      /work p95 +\d\.\d+ ms +1?\d\.\d+ ms +\+\d\.\d+ ms +\+\d\.\d+ ms to \+\d\.\d+ ms +worse/,
    )
    expect(text).to.match(/sim > seek .* worse: 1\.00 runs a frame as before, each dearer/)
    const markdown = comparisonReport(told, true)
    expect(markdown).to.contain('| frames | before | after | at equal speed | 95 % interval |  |')
    const still = tellComparison(
      [take({ seed: 1, noise: 0.2, spikes: 0 })],
      [take({ seed: 2, noise: 0.2, spikes: 0 })],
    )
    expect(comparisonReport(still)).to.contain('No path changed for sure.')
    expect(still.sentence).to.equal(
      'A frame takes as long as before, to 1 % of the budget; the machine was as fast both times.',
    )
  })
})

describe('blocks of a bootstrap', () => {
  it('are longer the further values hang together', () => {
    const series = (phi: number, n = 4_000) => {
      const random = randomFrom(3)
      let off = 0
      return Float64Array.from({ length: n }, () => (off = phi * off + normalFrom(random)))
    }
    expect(blockLength(series(0))).to.be.at.most(6)
    // For AR(1): (2 (2ρ ÷ (1 − ρ²))² ÷ (4/3))^(1/3) n^(1/3).
    const ideal = (phi: number) => Math.cbrt(1.5 * ((2 * phi) / (1 - phi * phi)) ** 2 * 4_000)
    for (const phi of [0.5, 0.8, 0.9])
      expect(blockLength(series(phi)) / ideal(phi), `${phi}`).to.be.within(0.5, 1.8)
    expect(blockLength(new Float64Array(100).fill(7))).to.equal(1)
    expect(blockLength(new Float64Array(3))).to.equal(1)
  })

  it('are drawn alike every time, from everywhere', () => {
    const draw = () => [...drawBlocks(50, 5, steadyRandom(2))]
    expect(draw()).to.deep.equal(draw())
    expect(draw()).to.have.length(10)
    const all = new Set(Array.from({ length: 200 }, (_, i) => [...drawBlocks(50, 5, steadyRandom(i))]).flat())
    expect(all.size).to.equal(50)
  })
})

describe('frames of two takes beside each other', () => {
  const study = (workMs: number[], moments: Record<number, string> = {}) =>
    studyFrom(
      workMs.map((ms, i): TestFrame => ({
        runs: [run('sim', ms * MS, i % 10 === 3 ? { children: [run('rare', MS)] } : {})],
        ...(moments[i] === undefined ? {} : { moments: [moments[i]] }),
      })),
    )

  it('are the same of the same run', () => {
    const [one, other] = [study([1, 2, 3, 4]), study([4, 3, 2])]
    expect(counterpartOf(one, other, 1, true)).to.equal(1)
    expect(counterpartOf(one, other, 3, true)).to.equal(2)
    expect(counterpartOf(one, study([]), 0, true)).to.equal(-1)
  })

  it('are as long after the same moment, the same time that it came', () => {
    const one = study(Array(30).fill(1), { 5: 'bell', 20: 'bell' })
    const other = study(Array(40).fill(1), { 9: 'bell', 33: 'bell' })
    expect(counterpartOf(one, other, 7, false)).to.equal(11)
    expect(counterpartOf(one, other, 22, false)).to.equal(35)
  })

  it('are joined by the moments that both have, each in its turn', () => {
    const one = study(Array(30).fill(1), { 2: 'gong', 5: 'bell', 20: 'bell', 25: 'bell' })
    const other = study(Array(40).fill(1), { 9: 'bell', 10: 'horn', 33: 'bell' })
    expect(sameMoments(one, other)).to.deep.equal([
      { name: 'bell', one: 5, other: 9 },
      { name: 'bell', one: 20, other: 33 },
    ])
    expect(sameMoments(one, study([]))).to.deep.equal([])
    // Beyond the end of the other there is no frame as long after.
    expect(counterpartOf(one, other, 24, false)).to.equal(37)
  })

  it('are as heavy among their own where nothing else tells', () => {
    const one = study([5, 1, 9, 3, 7])
    const other = study([10, 90, 50, 70, 30])
    // 9 is the heaviest of five, 1 the lightest, 5 the middle.
    expect([2, 1, 0].map((frame) => counterpartOf(one, other, frame, false))).to.deep.equal([1, 0, 2])
    // Before the first moment, or where it came but once, the moment says nothing.
    const rung = study([5, 1, 9, 3, 7], { 3: 'bell' })
    expect(counterpartOf(rung, other, 2, false)).to.equal(1)
    expect(counterpartOf(rung, other, 4, false)).to.equal(3)
  })

  it('tell of a path where it ran, or where it took most', () => {
    const some = study(Array.from({ length: 40 }, (_, i) => 1 + i / 10))
    const pathOf = (name: string) =>
      [...some.courses.keys()].find((path) => pathNames(some, path).at(-1) === name)!
    expect([...tellingFrames(some, pathOf('rare'))]).to.deep.equal([3, 13, 23, 33])
    expect([...tellingFrames(some, pathOf('sim'))]).to.deep.equal([38, 39])
    expect([...tellingFrames(some, 99)]).to.deep.equal([])
  })
})

describe('loads that differ', () => {
  /** Work of 1 ms and 0.1 ms for each letter. */
  function night(letters: (i: number) => number, perLetterMs = 0.1, slow = 1, seed = 1): Study {
    const random = randomFrom(seed)
    const ns = (ms: number) => Math.round(ms * MS * slow * (0.99 + 0.02 * random()))
    return studyFrom(
      Array.from({ length: 400 }, (_, i): TestFrame => ({
        runs: [
          run('sim', ns(0.4), {
            children: [run('mail', ns(perLetterMs * letters(i))), run('belt', ns(0.3))],
          }),
          run('draw', ns(0.2)),
          run('sound', ns(0.1)),
        ],
        gauges: { letters: letters(i), lanterns: 12 },
      })),
    )
  }
  const some = (i: number) => 10 + (i % 21)

  it('are told by one of each, with what the law of before explains', () => {
    // Twice as many: 20 more letters of 0.1 ms.
    const { loads, sentence } = tellComparison([night(some)], [night((i) => 2 * some(i), 0.1, 1, 2)])
    expect(loads).to.have.length(1)
    expect(loads[0]).to.include({ name: 'letters', before: 20, after: 40, law: 'n' })
    expect(loads[0]!.msPerBefore).to.be.closeTo(0.15, 0.003)
    expect(loads[0]!.msPerAfter).to.be.closeTo(0.125, 0.003)
    expect(loads[0]!.explainedMs).to.be.closeTo(2, 0.06)
    expect(sentence).to.match(/2\.00 × as many letters explain (1\.9|2\.0)\d ms more by the law they follow/)
    const report = comparisonReport(tellComparison([night(some)], [night((i) => 2 * some(i), 0.1, 1, 2)]))
    expect(report).to.match(/letters +20\.0 +40\.0 +0\.1[45]\d+ +0\.12\d+ +\+(1\.9|2\.0)\d ms a frame, by n/)
  })

  it('are told at equal speed of the machine', () => {
    const [row] = tellComparison([night(some)], [night((i) => 2 * some(i), 0.1, 1.5, 2)]).loads
    expect(row!.msPerAfter).to.be.closeTo(0.125, 0.005)
  })

  it('have no law where the work does not follow them', () => {
    const [row] = tellComparison([night(some, 0)], [night((i) => 2 * some(i), 0, 1, 2)]).loads
    expect(row).to.include({ name: 'letters', law: null, explainedMs: null })
  })

  it('are none that differ by at most 15 of 100', () => {
    const same = (more: number) => tellComparison([night(() => 85)], [night(() => more, 0.1, 1, 2)]).loads
    expect(same(100)).to.deep.equal([])
    expect(same(101)).to.have.length(1)
  })
})

describe('takes that are hard to compare', () => {
  it('may have ten thousand paths, of which one changed', () => {
    const many = (seed: number, slow: number): Study => {
      const random = randomFrom(seed)
      const ns = (value: number) => Math.round(value * (0.9 + 0.2 * random()))
      return studyFrom(
        Array.from({ length: 200 }, (_, i): TestFrame => ({
          runs: [
            run('sim', ns(MS), {
              children: [
                run('seek', ns(slow * MS)),
                ...Array.from({ length: 50 }, (__, at) => run(`part ${i * 50 + at}`, ns(20_000))),
              ],
            }),
            run('draw', ns(2 * MS)),
            run('belt', ns(MS)),
          ],
        })),
      )
    }
    const { paths } = compareTakes([many(1, 2)], [many(2, 1)])
    expect(paths[0]).to.deep.include({ path: ['sim', 'seek'], verdict: 'better' })
    expect(paths.filter(({ verdict }) => verdict === 'worse')).to.deep.equal([])
  })

  it('may be one frame long, on other lanes, or cut short: nothing is said for sure', () => {
    const one = studyFrom([{ runs: [run('sim', MS)] }])
    const { frames, paths } = compareTakes([one], [studyFrom([{ runs: [run('sim', 2 * MS)] }])])
    for (const { verdict } of [...frames, ...paths]) expect(verdict).to.be.oneOf(['cannot-tell', 'same'])
    const onWorker = Array.from({ length: 90 }, (): TestFrame => ({
      runs: [run('sim', MS)],
      worker: [run('wind', MS)],
    }))
    const without = onWorker.map(({ runs: main }) => ({ runs: main }))
    const row = compareTakes([studyFrom(onWorker)], [studyFrom(without)]).paths.find(
      ({ lane }) => lane === 'worker',
    )
    expect(row).to.include({ change: 'vanished' })
  })
})
