/** A game over weeks and over devices: change points by hand and by simulation, and what is made of them. */
import { expect } from 'chai'
import {
  changePoints,
  changeWords,
  devicesOf,
  devicesReport,
  groupsOverWords,
  historyOf,
  historyReport,
  lineSentence,
  sumsOf,
  TARGETS,
  type Change,
  type HistoryTake,
  type PathSums,
  type TakeSums,
} from '@lapsus/core/history'
import { studentTail } from '@lapsus/core/stats'
import { normalFrom, randomFrom, run, studyFrom, type TestFrame } from './support/studies.ts'

const MS = 1e6
const everywhere = (values: readonly number[]) => [...values.keys()].slice(1)
const atOf = (points: { at: number }[]) => points.map(({ at }) => at)

describe('a change for good', () => {
  it('is found where values step, with the levels on both sides', () => {
    const values = [1, 1, 1, 3, 3, 3, 3]
    expect(changePoints(values, everywhere(values), 0.1)).to.deep.equal([
      { at: 3, before: 1, after: 3, low: 2, high: 2, chance: 0 },
    ])
    const twice = [1, 1, 1, 3, 3, 3, 2, 2, 2]
    expect(
      changePoints(twice, everywhere(twice), 0.1).map(({ at, before, after }) => [at, before, after]),
    ).to.deep.equal([
      [3, 1, 3],
      [6, 3, 2],
    ])
  })

  it('has the interval and the chance of Student’s t, after asking all places', () => {
    // Means 2 and 5, pooled variance 1, four degrees of freedom: t = 3 ÷ √(2 ÷ 3).
    const [point] = changePoints([1, 2, 3, 4, 5, 6], [3], 0.1)
    const error = Math.sqrt(2 / 3)
    expect(point!.chance).to.be.closeTo(2 * studentTail(3 / error, 4), 1e-12)
    expect([point!.low, point!.high].map((value) => value.toFixed(3))).to.deep.equal([
      (3 - 2.776 * error).toFixed(3),
      (3 + 2.776 * error).toFixed(3),
    ])
    const [asked] = changePoints([1, 2, 3, 4, 5, 6], [3, 4], 0.1)
    expect(asked!.chance).to.be.closeTo(2 * point!.chance, 1e-12)
  })

  it('is none for a single value, for a trifle, or where no place is', () => {
    expect(changePoints([1, 1, 1, 1, 9], [4], 0.1)).to.deep.equal([])
    expect(atOf(changePoints([1, 1, 1, 9, 9], [3], 0.1))).to.deep.equal([3])
    expect(changePoints([1, 1, 1.099, 1.099], [2], 0.1)).to.deep.equal([])
    expect(atOf(changePoints([1, 1, 1.101, 1.101], [2], 0.1))).to.deep.equal([2])
    expect(changePoints([1, 1, 3, 3], [], 0.1)).to.deep.equal([])
    expect(
      changePoints([1, NaN, 1, 3, NaN, 3], [3], 0.1).map(({ before, after }) => [before, after]),
    ).to.deep.equal([[1, 3]])
    expect(changePoints([NaN, NaN, 1, 1], [2], 0)).to.deep.equal([])
  })

  it('stands only where it is told from its neighbours', () => {
    const random = randomFrom(2)
    let told = 0
    for (let i = 0; i < 300; i++) {
      // Wild values, such as of takes that do not belong there, and a step of their own size.
      const values = Array.from(
        { length: 30 },
        (_, at) => normalFrom(random) / (0.05 + random()) + (at < 20 ? 0 : 4),
      )
      for (const { low, high, chance } of changePoints(values, everywhere(values), 0.1)) {
        if (chance > 0.05) continue
        told++
        expect(low > 0 || high < 0, `${low} to ${high}`).to.equal(true)
      }
    }
    expect(told).to.be.greaterThan(50)
  })

  it('is called by chance in at most one of twenty series in which nothing changes', () => {
    const random = randomFrom(11)
    const series = 400
    let called = 0
    for (let i = 0; i < series; i++) {
      const values = Array.from({ length: 24 }, () => normalFrom(random))
      const [first] = changePoints(values, everywhere(values), 0)
      if (first !== undefined && first.chance <= 0.05) called++
    }
    expect(called / series).to.be.at.most(0.05)
  })
})

const sums = (paths: PathSums[], more: Partial<TakeSums> = {}): TakeSums => ({
  ...{ frames: 300, seconds: 5, p50Ms: 1, p99Ms: 1, lateShare: 0, collectionsPer1000: 5 },
  ...{ bytesPerFrame: null, heapBytes: null, loads: [], groups: [], overShare: TARGETS.map(() => 0) },
  meanMs: paths.reduce((sum, { msPerFrame }) => sum + msPerFrame, 0),
  p95Ms: 1.2 * paths.reduce((sum, { msPerFrame }) => sum + msPerFrame, 0),
  paths,
  ...more,
})
const path = (name: string, msPerFrame: number, callsPerFrame = 1): PathSums => ({
  ...{ path: ['sim', name], lane: 'main', msPerFrame, callsPerFrame, bytesPerFrame: null },
})
const day = (n: number) => new Date(Date.UTC(2026, 0, 1) + n * 86_400_000).toISOString()

/** Forty takes of twelve versions on a machine whose speed differs from day to day; two versions bring something in. */
function weeks(seed: number, planted = true): HistoryTake[] {
  const random = randomFrom(seed)
  return Array.from({ length: 40 }, (_, i): HistoryTake => {
    const version = Math.floor((i * 12) / 40)
    const speed = Math.exp(0.12 * normalFrom(random))
    const ms = (value: number) => value * speed * Math.exp(0.04 * normalFrom(random))
    const paths = [
      ...['move', 'steer', 'belt', 'draw', 'sound', 'mail'].map((name, at) =>
        path(name, ms(0.4 + 0.3 * at), 1 + at),
      ),
      path('seek', ms(planted && version >= 4 ? 2.6 : 2), planted && version >= 4 ? 13 : 10),
      ...(planted && version >= 9 ? [path('audit', ms(0.5))] : []),
    ]
    return {
      ...{ id: `take-${i}`, name: `night ${i}`, started: day(i), target: 60 },
      conditions: { version: `1.${version}.0`, device: 'desk', scene: 'night' },
      sums: sums(paths),
      groupBudgets: {},
    }
  })
}

describe('a history', () => {
  it('finds both versions that brought something in, and nothing else, on an unsteady machine', () => {
    for (let seed = 1; seed <= 25; seed++) {
      const [line] = historyOf(weeks(seed))
      const found = line!.changes
        .filter(({ of }) => of === 'path')
        .map(({ name, toVersion }) => [name.at(-1), toVersion])
      expect(found, `seed ${seed}`).to.have.deep.members([
        ['seek', '1.4.0'],
        ['audit', '1.9.0'],
      ])
      const frames = line!.changes.filter(({ of }) => of === 'frames').map(({ toVersion }) => toVersion)
      for (const version of frames) expect(version).to.be.oneOf(['1.4.0', '1.9.0'])
      expect(line!.appeared.map(({ path: names, version }) => [names.at(-1), version])).to.deep.equal([
        ['audit', '1.9.0'],
      ])
    }
  })

  it('hardly calls anything where nothing was brought in', () => {
    let called = 0
    for (let seed = 1; seed <= 60; seed++) if (historyOf(weeks(seed, false))[0]!.changes.length > 0) called++
    expect(called).to.be.at.most(3)
  })

  it('takes the machine’s speed out: what is twice as slow all over has not changed', () => {
    const takes = weeks(3, false).map((take, i) =>
      i % 2 === 0
        ? take
        : {
            ...take,
            sums: sums(take.sums.paths.map((one) => ({ ...one, msPerFrame: 2 * one.msPerFrame }))),
          },
    )
    const [line] = historyOf(takes)
    expect(line!.speed[1]! / line!.speed[0]!).to.be.within(1.2, 3)
    expect(line!.changes).to.deep.equal([])
  })

  it('keeps takes of unlike conditions apart, and versions in the order in which they came', () => {
    const [first, ...rest] = weeks(1).slice(0, 8)
    const other = { ...first!, id: 'other', conditions: { ...first!.conditions, device: 'handset' } }
    const late = { ...first!, id: 'late', started: day(90) }
    const lines = historyOf([late, ...rest, first!, other])
    expect(lines.map(({ about, takes }) => [about, takes.length])).to.deep.equal([
      ['desk, night, 60 frames a second', 9],
      ['handset, night, 60 frames a second', 1],
    ])
    // An old version that is recorded again stays with its like.
    expect(lines[0]!.takes.map(({ id }) => id).slice(0, 5)).to.deep.equal([
      'take-0',
      'take-1',
      'take-2',
      'take-3',
      'late',
    ])
    expect(lines[1]!.changes).to.deep.equal([])
    expect(historyOf([])).to.deep.equal([])
  })

  it('tells paths that came, and went, for good only', () => {
    const there = (names: string[], i: number): HistoryTake => ({
      ...{ id: `t${i}`, name: '', started: day(i), target: 60, conditions: { version: `v${i}` } },
      groupBudgets: {},
      sums: sums(names.map((name) => path(name, 1))),
    })
    const [line] = historyOf(
      [
        ['a', 'b'],
        ['a', 'b', 'd'],
        ['a', 'c', 'd'],
        ['a', 'c'],
      ].map(there),
    )
    expect(line!.appeared.map(({ path: names }) => names.at(-1))).to.deep.equal(['c'])
    expect(line!.vanished.map(({ path: names, version }) => [names.at(-1), version])).to.deep.equal([
      ['b', 'v2'],
    ])
  })

  it('has groups at equal speed of the machine, judged by the budgets of the newest take', () => {
    const takes = weeks(4, false)
      .slice(0, 6)
      .map((take, i) => {
        const speed = i % 2 === 0 ? 1 : 3
        const paths = ['a', 'b', 'c', 'd'].map((name) => path(name, speed))
        const groups = [
          { group: 'moths', msPerFrame: 2 * speed },
          { group: '', msPerFrame: speed },
          ...(i < 5 ? [{ group: 'belt', msPerFrame: speed }] : []),
        ]
        const groupBudgets: Record<string, number> =
          i < 5 ? { moths: 9 } : { moths: 3.46, constructor: 1, belt: 0 }
        return { ...take, sums: sums(paths, { groups }), groupBudgets }
      })
    const [line] = historyOf(takes)
    const middle = Math.sqrt(3)
    expect(line!.groups.map(({ group, budgetMs }) => [group, budgetMs])).to.deep.equal([
      ['moths', 3.46],
      ['', null],
      ['belt', 0],
    ])
    for (const ms of line!.groups[0]!.ms) expect(ms).to.be.closeTo(2 * middle, 1e-9)
    expect(line!.groups[2]!.ms.at(-1)).to.equal(0)
    // 2 × √3 is 3.464: just above 3.46, just below 3.47.
    expect(groupsOverWords(line!.groups)).to.deep.equal(['moths: 3.46 ms a frame of a budget of 3.46 ms'])
    expect(groupsOverWords(line!.groups.map((one) => ({ ...one, budgetMs: 3.47 })))).to.deep.equal([])
    expect(historyReport([line!])).to.contain('  moths: 3.46 ms a frame of a budget')
  })

  it('is told in words, and as tables', () => {
    const lines = historyOf(weeks(1))
    expect(lineSentence(lines[0]!)).to.match(
      /^40 takes of 12 versions: seek: 0\.\d+ ms a frame more since 1\.4\.0 \(0\.\d+ to 0\.\d+\), \d\.\d+ ms before; and \d more changes?\.$/,
    )
    const report = historyReport(lines, true)
    expect(report).to.contain('## desk, night, 60 frames a second')
    expect(report).to.contain('- sim \\> audit is new in 1.9.0')
    expect(report).to.contain('| version | take | mean | p95 | over | machine |')
    const less: Change = {
      ...{ of: 'frames', name: ['bytes'], lane: '', unit: 'bytes', fromVersion: 'a', toVersion: 'b' },
      ...{ at: 2, before: 4_000, after: 1_000, low: -3_200, high: -2_800, chance: 0 },
    }
    expect(changeWords(less)).to.equal(
      'allocated a frame: 3.00 kB less since b (2.80 kB to 3.20 kB), 4.00 kB before',
    )
    expect(historyReport([])).to.equal('There is no take with frames.')
  })
})

describe('a take summed up', () => {
  it('has figures of its frames, its paths and its loads', () => {
    const frames = Array.from({ length: 400 }, (_, i): TestFrame => {
      const letters = 10 + (i % 40)
      return {
        runs: [
          run('sim', MS, {
            children: [run('seek', (letters * MS) / 10, { bytes: 100 }), run('wait', 2 * MS)],
          }),
        ],
        gauges: { letters, heap: 1e6 + i },
      }
    })
    const study = studyFrom(frames, {
      markers: { wait: { kind: 'wait:refresh' }, seek: { group: 'moths' } },
      conditions: { mode: 'bytes' },
    })
    const told = sumsOf(study)!
    expect(told.frames).to.equal(400)
    expect(told.meanMs).to.be.closeTo(1 + 2.95, 1e-9)
    // Work is 1 + letters ÷ 10: over 8.33 ms (120 a second) from 74 letters on, which are never there.
    expect(told.overShare).to.deep.equal([0, 0, 0, 0, 0])
    expect(told.heapBytes).to.equal(1e6 + 399)
    expect(told.paths.map(({ path: names }) => names.at(-1))).to.deep.equal(['sim', 'seek'])
    expect(told.paths[1]).to.deep.include({ callsPerFrame: 1, bytesPerFrame: 100 })
    expect(told.groups.map(({ group, msPerFrame }) => [group, Number(msPerFrame.toFixed(6))])).to.deep.equal([
      ['moths', 2.95],
      ['', 1],
    ])
    const [letters] = told.loads
    expect(letters).to.include({ name: 'letters', usual: 29.5 })
    // At 60 a second the work is 16.7 ms with 157 letters.
    expect(letters!.breaksAt[TARGETS.indexOf(60)]).to.be.closeTo(156.7, 3)
    expect(sumsOf(studyFrom([]))).to.equal(null)
  })
})

describe('devices', () => {
  const on = (device: string, ms: number, over: number[], version = '1'): HistoryTake => ({
    ...{ id: `${device} ${version}`, name: '', started: day(Number(version)), target: 60 },
    conditions: { device, version, scene: 'night' },
    groupBudgets: {},
    sums: sums([path('sim', ms)], {
      overShare: over,
      loads: [{ name: 'letters', usual: 40, breaksAt: [400, 200, null, 100.7, 80] }],
    }),
  })

  it('are rows with the slowest first, judged by the newest version alone', () => {
    const { rows, lowest } = devicesOf([
      on('desk', 4, [0, 0, 0, 0.011, 0.5]),
      on('handset', 20, [0.5, 1, 1, 1, 1]),
      on('handset', 10, [0.01, 0.4, 1, 1, 1], '2'),
    ])
    expect(rows.map(({ device, version, about }) => [device, version, about])).to.deep.equal([
      ['handset', '2', 'night, 60 frames a second'],
      ['desk', '1', 'night, 60 frames a second'],
    ])
    // 1 % over holds, 1.1 % does not.
    expect(lowest).to.deep.equal([0, 1, 1, null, null])
    expect(rows[0]!.loads[0]!.breaksAt[1]).to.equal(200)
  })

  it('are told in words', () => {
    const report = devicesReport(devicesOf([on('desk', 4, [0, 0, 0, 1, 1])]))
    expect(report).to.contain('60 frames a second: desk is the slowest that holds them')
    expect(report).to.contain('120 frames a second: no device holds them')
    expect(devicesReport(devicesOf([]))).to.equal('There is no take with frames.')
  })
})
