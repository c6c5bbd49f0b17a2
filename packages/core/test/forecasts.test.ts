/** What holds for every forecast, whatever the plan and the take; and the parts it is made of. */
import { expect } from 'chai'
import fc from 'fast-check'
import { findSpikes, gatherEvidence, REMEDY_KINDS, spikeEpisodes, unmarkedNs } from '@lapsus/core/detect'
import {
  assumptionWords,
  baseOf,
  choice,
  figureRows,
  Forecaster,
  forecastPlan,
  frameAfter,
  layoutsOf,
  number,
  retime,
  settle,
  spansAfter,
  type NumberInput,
  type PlanItem,
} from '@lapsus/core/remedy'
import { runningSpread, spreadAt } from '@lapsus/core/stats'
import type { Study } from '@lapsus/core/study'
import { MAIN_LANE } from '@lapsus/core/take'
import { forecastOne, item, pathOf, totalOf } from './support/plans.ts'
import {
  randomFrom,
  run,
  runs,
  studyFrom,
  type Run,
  type TestFrame,
  type TestGame,
} from './support/studies.ts'

const MS = 1e6

/** A take with something of everything: effects, keys, bytes, waits, collections, lives, updaters, steps, a lane. */
function medley(count: number, seed: number): TestFrame[] {
  const random = randomFrom(seed)
  return Array.from({ length: count }, (_, i) => {
    const npcs = Array.from({ length: Math.floor(random() * 7) }, () =>
      run('npc', Math.round(200_000 * random()), {
        effect: random() < 0.5,
        bytes: Math.round(random() * 900),
        children: random() < 0.5 ? [run('look', Math.round(50_000 * random()))] : [],
      }),
    )
    const tests = Array.from({ length: 3 }, () =>
      run('test', 40_000, { key: 1 + Math.floor(random() * 2), effect: random() < 0.5 }),
    )
    const work = [
      run('sim', 500_000, { children: [...npcs, run('rules', 1000, { children: tests })] }),
      ...(i % 16 === 3 ? [run('sweep', 900_000), run('audit', 700_000)] : []),
      ...(i % 50 === 20 ? [run('plan', 0, { children: runs(30, 'search', 700_000) })] : []),
      ...(random() < 0.08 ? [run('gc', Math.round(1.5 * MS * random()))] : []),
      run('hud', 300_000),
    ]
    const spent = work.reduce((sum, one) => sum + totalOf(one), 0)
    return {
      runs: [...work, run('refresh', Math.max(0, Math.ceil(spent / (16.6 * MS)) * 16.6 * MS - spent))],
      worker: random() < 0.3 ? [run('wind', Math.round(2 * MS * random()))] : [],
      steps: 1 + (i % 3),
      gauges: { load: i % 11 === 0 ? NaN : 20 + (i % 40), heap: 1e6 + (i % 30) * 20_000 },
      lives: { letter: [Math.floor(random() * 3), Math.floor(random() * 3)] as [number, number] },
      updaters: { npcs: [7, 6, i % 7] as [number, number, number] },
      watches: { tally: [1, random() < 0.1 ? 1 : 0] as [number, number] },
    }
  })
}
const MEDLEY: TestGame = {
  markers: { refresh: { kind: 'wait:refresh' }, gc: { kind: 'collect' }, hud: { watches: ['tally'] } },
  classes: { npcs: 'npc' },
}
const PATHS = [
  ['sim'],
  ['sim', 'npc'],
  ['sim', 'npc', 'look'],
  ['sim', 'rules', 'test'],
  ['sweep'],
  ['plan'],
  ['hud'],
  ['refresh'],
  ['gone'],
]

const planned = fc.array(
  fc.record({ kind: fc.constantFrom(...REMEDY_KINDS), path: fc.constantFrom(...PATHS), on: fc.boolean() }),
  { minLength: 0, maxLength: 6 },
)
const itemsOf = (
  wanted: { kind: (typeof REMEDY_KINDS)[number]; path: string[]; on: boolean }[],
): PlanItem[] => wanted.map(({ kind, path, on }, i) => item(kind, path, {}, { id: String(i), on }))

function changed(items: PlanItem[], at: number, how: string, value: number): PlanItem[] {
  if (how === 'remove') return items.filter((_, i) => i !== at)
  if (how === 'move') return [...items.slice(at), ...items.slice(0, at)]
  const parameters = { every: value, factor: value / 50, size: value, passes: value, group: value }
  return items.map((one, i) =>
    i !== at
      ? one
      : how === 'switch'
        ? { ...one, on: !one.on }
        : how === 'value'
          ? { ...one, parameters }
          : one,
  )
}

/** Whether there is anything but a number among the figures, however deep. */
function notNumbers(value: unknown, at = ''): string[] {
  if (typeof value === 'number') return Number.isFinite(value) ? [] : [at]
  if (ArrayBuffer.isView(value))
    return Array.from(value as unknown as number[])
      .flatMap((one, i) => notNumbers(one, `${at}[${i}]`))
      .slice(0, 3)
  if (value === null || typeof value !== 'object') return []
  return Object.entries(value).flatMap(([name, inner]) => notNumbers(inner, `${at}.${name}`))
}

describe('forecasts of any plan', () => {
  const bases = [1, 2, 3].map((seed) => baseOf(studyFrom(medley(120, seed), MEDLEY)))

  it('hold nothing but numbers, and gains that add up to what the plan brings', () => {
    fc.assert(
      fc.property(planned, fc.constantFrom(...bases), (wanted, base) => {
        const { forecast } = forecastPlan(base, { items: itemsOf(wanted) })
        expect(
          notNumbers({ ...forecast, items: forecast.items.map(({ inputs: _, ...one }) => one) }),
        ).to.deep.equal([])
        const gained = forecast.items.reduce((sum, { gainMsPerFrame }) => sum + gainMsPerFrame, 0)
        expect(forecast.before.meanMs - forecast.after.meanMs).to.be.closeTo(gained, 1e-5)
        for (const { refusal, gainMsPerFrame, gainNs } of forecast.items) {
          if (refusal !== null) expect([gainMsPerFrame, gainNs]).to.deep.equal([0, null])
        }
      }),
      { numRuns: 120 },
    )
  })

  it('are the same when asked again, and leave what was recorded alone', () => {
    fc.assert(
      fc.property(planned, (wanted) => {
        const [base] = bases
        const work = base!.study.frames.workNs.slice()
        const once = forecastPlan(base!, { items: itemsOf(wanted) }).forecast
        const twice = forecastPlan(base!, { items: itemsOf(wanted) }).forecast
        expect(twice.after).to.deep.equal(once.after)
        expect(base!.study.frames.workNs).to.deep.equal(work)
      }),
      { numRuns: 40 },
    )
  })

  it('are the same one after the other, whichever item is changed, moved, switched or taken away', () => {
    const change = fc.record({
      at: fc.nat(5),
      how: fc.constantFrom('value', 'switch', 'remove', 'move', 'nothing'),
      value: fc.integer({ min: 1, max: 40 }),
    })
    fc.assert(
      fc.property(planned, fc.array(change, { minLength: 1, maxLength: 8 }), (wanted, changes) => {
        const forecaster = new Forecaster(bases[0]!)
        let items = itemsOf(wanted)
        for (const { at, how, value } of [{ at: 0, how: 'nothing', value: 1 }, ...changes]) {
          items = changed(items, at, how, value)
          const { forecast, replay } = forecaster.forecast({ items })
          const { forecast: fresh } = forecastPlan(bases[0]!, { items }, { withGains: false })
          expect(forecast.after).to.deep.equal(fresh.after)
          expect(forecast.frames).to.deep.equal(fresh.frames)
          expect(forecast.items).to.deep.equal(fresh.items)
          expect(forecaster.last?.replay).to.equal(replay)
        }
      }),
      { numRuns: 60 },
    )
  })

  it('show pages whose runs come to the work that was forecast', () => {
    const frames = medley(120, 1)
    const base = bases[0]!
    const { study } = base
    fc.assert(
      fc.property(planned, fc.nat(119), (wanted, frame) => {
        const forecasted = forecastPlan(base, { items: itemsOf(wanted) }, { withSpikes: false })
        const after = spansAfter(
          spansOf(study, frames[frame]!, study.frames.startNs[frame]!),
          study.frames.startNs[frame]!,
          study.paths,
          frameAfter(forecasted, frame),
        )
        let total = 0
        for (let i = 0; i < after.path.length; i++) {
          const { depth, lane } = study.paths.get(after.path[i]!)
          expect(after.durationNs[i]).to.be.at.least(0)
          if (lane === MAIN_LANE && depth === 0) total += after.durationNs[i]!
        }
        const { workNs, waitNs } = forecasted.forecast.frames
        // Waiting that jobs bring has no run of its own here.
        const expected = workNs[frame]! + waitNs.refresh[frame]!
        expect(total).to.be.closeTo(expected, 2)
      }),
      { numRuns: 120 },
    )
  })

  it('work on takes that say hardly anything', () => {
    const odd: [TestFrame[], TestGame][] = [
      [[], {}],
      [[{ runs: [] }], {}],
      [Array.from({ length: 40 }, () => ({ runs: [run('sim', 0)] })), {}],
      [
        Array.from({ length: 40 }, () => ({ runs: [run('refresh', 16 * MS)] })),
        { markers: { refresh: { kind: 'wait:refresh' } } },
      ],
      [medley(60, 4), { ...MEDLEY, stretches: [50] }],
    ]
    for (const [frames, game] of odd) {
      const base = baseOf(studyFrom(frames, game))
      for (const kind of REMEDY_KINDS) {
        const { forecast } = forecastPlan(base, { items: [item(kind, ['sim']), item(kind, [])] })
        expect(forecast.after.frames.frames).to.equal(frames.length)
        if (frames.length > 0) expect(notNumbers(forecast.after)).to.deep.equal([])
      }
    }
  })
})

/** The main lane's spans of one frame, laid end to end. */
function spansOf(study: Study, { runs: outermost }: TestFrame, startNs: number) {
  const rows: { path: number; startNs: number; durationNs: number }[] = []
  const lay = (span: Run, at: number, above: string[]): number => {
    const names = [...above, span.marker]
    rows.push({ path: pathOf(study, names), startNs: at, durationNs: totalOf(span) })
    let inner = at + span.selfNs
    for (const child of span.children ?? []) inner = lay(child, inner, names)
    return at + totalOf(span)
  }
  let at = startNs
  for (const span of outermost) at = lay(span, at, [])
  return {
    path: Uint32Array.from(rows, ({ path }) => path),
    startNs: Float64Array.from(rows, (row) => row.startNs),
    durationNs: Float64Array.from(rows, ({ durationNs }) => durationNs),
  }
}

describe('collections that are timed anew', () => {
  const collections = (...frames: number[]) => [
    frames.map((frame) => ({
      frame,
      kind: 'minor',
      suspected: false,
      count: 1,
      pauseNs: frame * 10,
      blame: [],
    })),
  ]
  const pausesIn = (pauseNs: Float64Array) => [...pauseNs.keys()].filter((frame) => pauseNs[frame]! > 0)
  const column = (length: number, value: number) => new Float64Array(length).fill(value)
  const none = column(100, 0)

  it('come where they were when nothing changes, whatever is allocated', () => {
    fc.assert(
      fc.property(
        fc.array(fc.integer({ min: 1, max: 1000 }), { minLength: 100, maxLength: 100 }),
        fc.uniqueArray(fc.integer({ min: 1, max: 99 }), { maxLength: 8 }),
        (bytes, frames) => {
          const allocated = Float64Array.from(bytes)
          const sorted = frames.sort((a, b) => a - b)
          // What comes after the last recorded one is not known to have been enough for another.
          const { pauseNs } = retime(collections(...sorted), allocated, none, none)
          expect(pausesIn(pauseNs).slice(0, sorted.length)).to.deep.equal(sorted)
        },
      ),
    )
  })

  it('come half as often with half the bytes, and more often with more', () => {
    const allocated = column(100, 100)
    const every = collections(...Array.from({ length: 10 }, (_, i) => i * 10 + 9))
    expect(retime(every, allocated, column(100, -50), none).count).to.equal(5)
    expect(retime(every, allocated, column(100, 100), none).count).to.equal(20)
    expect(retime(every, allocated, column(100, -100), none).count).to.equal(0)
    expect(retime(every, allocated, column(100, -500), none).count).to.equal(0)
  })

  it('have more room where less is carried along', () => {
    const allocated = column(100, 100)
    const every = collections(...Array.from({ length: 10 }, (_, i) => i * 10 + 9))
    // 300 of the 500 saved between two were alive: the next one has room for 1,300 instead of 1,000.
    const carried = retime(every, allocated, column(100, -50), column(100, 300))
    expect(pausesIn(carried.pauseNs)).to.deep.equal([19, 45, 71, 97])
    // What was not saved since the last one was carried along before, too.
    expect(retime(every, allocated, none, column(100, 300)).count).to.equal(10)
  })

  it('keep kinds apart', () => {
    const kinds = [...collections(9, 19, 29), ...collections(24)]
    const { count, pauseNs } = retime(kinds, column(30, 10), column(30, 0), column(30, 0))
    expect(count).to.equal(4)
    expect(pausesIn(pauseNs)).to.deep.equal([9, 19, 24, 29])
  })
})

describe('spread around one value', () => {
  it('is that of the running window', () => {
    fc.assert(
      fc.property(
        fc.array(fc.double({ min: 0, max: 100, noNaN: true }), { minLength: 1, maxLength: 80 }),
        fc.integer({ min: 1, max: 12 }),
        fc.nat(),
        (list, reach, at) => {
          const values = Float64Array.from(list)
          const all = runningSpread(values, reach)
          const i = at % values.length
          const one = spreadAt(values, i, reach)
          expect(one.median).to.equal(all.median[i])
          expect(one.deviation).to.equal(all.deviation[i])
        },
      ),
    )
  })

  it('finds the same spikes as a look at all frames', () => {
    for (const seed of [1, 5, 9]) {
      const study = studyFrom(medley(200, seed), MEDLEY)
      const { isPause } = gatherEvidence(study)
      const { episodes } = spikeEpisodes(study, isPause)
      const found = findSpikes(study, unmarkedNs(study), isPause)
      expect(found.map(({ frame }) => frame)).to.have.members(episodes.map(({ frame }) => frame))
      expect(episodes.length).to.be.greaterThan(0)
    }
  })
})

describe('inputs', () => {
  const inputs = [
    number('size', {
      words: 'size',
      about: '',
      origin: 'measured',
      suggested: 8.4,
      least: 1,
      most: 20,
      whole: true,
    }),
    number('cost', { words: 'cost', about: '', origin: 'assumed', suggested: 2, unit: 'µs' }),
    choice('way', {
      words: 'way',
      about: '',
      origin: 'assumed',
      choices: [
        { id: 'a', words: 'A' },
        { id: 'b', words: 'B' },
      ],
      suggested: 'a',
    }),
  ]

  it('are as suggested until they are set, which makes them assumed', () => {
    const { values, assumptions, problems } = settle(inputs, { size: 12 })
    expect(values).to.deep.equal({ size: 12, cost: 2, way: 'a' })
    expect(assumptions.map(({ origin }) => origin)).to.deep.equal(['assumed', 'assumed', 'assumed'])
    expect(settle(inputs, {}).assumptions[0]).to.deep.include({ value: 8, origin: 'measured' })
    expect(settle(inputs, { size: 8 }).assumptions[0]!.origin).to.equal('measured')
    expect(problems).to.deep.equal([])
    expect(assumptionWords(assumptions[1]!)).to.equal('cost: 2.00 µs (assumed)')
  })

  it('say what is wrong with a value, and keep the suggested one', () => {
    const words = (set: Record<string, number | string>) => settle(inputs, set).problems.join()
    expect(words({ size: 21 })).to.equal('“size” must be a whole number from 1 to 20, got 21')
    expect(words({ size: 2.5 })).to.equal('“size” must be a whole number from 1 to 20, got 2.5')
    expect(words({ cost: -1 })).to.equal('“cost” must be a number of at least 0 µs, got -1')
    expect(words({ cost: 'lots' })).to.equal('“cost” must be a number of at least 0 µs, got "lots"')
    expect(words({ cost: NaN })).to.contain('got NaN')
    expect(words({ way: 'c' })).to.equal('“way” must be one of a, b, got "c"')
    expect(words({ speed: 3 })).to.equal('there is no parameter “speed” here; there are: size, cost, way')
    expect(settle(inputs, { size: 21 }).values['size']).to.equal(8)
    expect(words({ toString: 1 })).to.contain('no parameter “toString”')
  })

  it('never suggest what they would not allow', () => {
    expect(
      number('x', { words: '', about: '', origin: 'assumed', suggested: NaN, least: 3 }).suggested,
    ).to.equal(3)
    expect(
      number('x', { words: '', about: '', origin: 'assumed', suggested: 900, most: 7 }).suggested,
    ).to.equal(7)
  })
})

describe('what the take suggests', () => {
  const inputOf = (frames: TestFrame[], one: PlanItem, name: string, game: TestGame = {}) =>
    forecastOne(frames, one, game).inputs.find((input) => input.name === name) as NumberInput

  it('for a timer: how often what it watches changes, and how old it may be', () => {
    const frames = (every: number): TestFrame[] =>
      Array.from({ length: 120 }, (_, i) => ({
        runs: [run('text', MS), run('rest', 9 * MS)],
        watches: { tally: [1, i % every === 0 ? 1 : 0] as [number, number] },
      }))
    const game: TestGame = { markers: { text: { watches: ['tally'] } } }
    expect(inputOf(frames(4), item('timer', ['text']), 'every', game)).to.include({
      suggested: 4,
      origin: 'measured',
    })
    const slow = inputOf(frames(40), item('timer', ['text']), 'every', game)
    expect(slow.suggested).to.equal(10)
    expect(slow.others.map(({ value }) => value)).to.deep.equal([40])
    const patient = inputOf(frames(40), item('timer', ['text'], { allowed: 300 }), 'every', game)
    expect(patient.suggested).to.equal(30)
  })

  it('for a slice: half of what nearly all frames leave, and never less than comes in', () => {
    const frames = (restMs: number): TestFrame[] =>
      Array.from({ length: 200 }, (_, i) => ({
        runs: [run('rest', restMs * MS), ...(i % 40 === 9 ? [run('plan', 20 * MS)] : [])],
      }))
    expect(inputOf(frames(6.6666), item('slice', ['plan']), 'budget').suggested).to.be.closeTo(5, 0.01)
    expect(inputOf(frames(15.6666), item('slice', ['plan']), 'budget').suggested).to.be.closeTo(0.75, 0.01)
  })

  it('for jobs: as few workers as do, and what handing over took', () => {
    const frames = (workMs: number): TestFrame[] =>
      Array.from({ length: 50 }, () => ({ runs: [run('rest', 8 * MS), run('work', workMs * MS)] }))
    expect(inputOf(frames(2), item('jobs', ['work']), 'workers').suggested).to.equal(1)
    expect(inputOf(frames(7), item('jobs', ['work']), 'workers').suggested).to.equal(2)
    expect(inputOf(frames(40), item('jobs', ['work']), 'workers').suggested).to.equal(4)
    const handed: TestGame = {
      jobs: {
        job: Uint32Array.of(1, 1, 2, 2),
        event: Uint8Array.of(0, 1, 0, 1),
        lane: Uint32Array.of(0, 1, 0, 1),
        marker: Uint32Array.of(0, 0, 0, 0),
        atNs: Float64Array.of(1000, 51_000, 100_000, 150_000),
      },
    }
    expect(inputOf(frames(7), item('jobs', ['work']), 'dispatch', handed)).to.include({
      suggested: 50,
      origin: 'measured',
    })
  })

  it('for buckets: the law of one run, where the loads reach down far enough to tell', () => {
    const frames = (least: number): TestFrame[] =>
      Array.from({ length: 300 }, (_, i) => {
        const lamps = least + ((200 - least) * (i % 60)) / 59
        return { runs: runs(10, 'seek', Math.round(2_000 + lamps * 200)), gauges: { lamps } }
      })
    const far = inputOf(frames(20), item('bucket', ['seek']), 'variable')
    expect(far.origin).to.equal('measured')
    expect(far.suggested).to.be.within(85, 98)
    const near = inputOf(frames(140), item('bucket', ['seek']), 'variable')
    expect(near).to.include({ origin: 'assumed', suggested: 95 })
    expect(near.about).to.contain('does not tell what is left at none')
  })

  it('for buckets: no law where the cost falls, or stays, as the load grows', () => {
    const frames = (costNs: (lamps: number) => number): TestFrame[] =>
      Array.from({ length: 300 }, (_, i) => {
        const lamps = 20 + (180 * (i % 60)) / 59
        return { runs: runs(10, 'seek', Math.round(costNs(lamps))), gauges: { lamps } }
      })
    for (const costNs of [(lamps: number) => 60_000 - lamps * 200, () => 30_000]) {
      const input = inputOf(frames(costNs), item('bucket', ['seek']), 'variable')
      expect(input).to.include({ origin: 'assumed', suggested: 95 })
      expect(input.about).to.contain('no load varies with it')
    }
  })

  it('for a slice: the piece is a run of the heaviest of what runs inside, whichever stands first', () => {
    const frames = (names: string[]): TestFrame[] =>
      Array.from({ length: 200 }, (_, i) => {
        const inside: Record<string, Run[]> = {
          light: runs(8, 'light', 50_000),
          heavy: runs(4, 'heavy', 500_000),
        }
        const children = names.flatMap((name) => inside[name]!)
        return { runs: [run('loop', MS), ...(i % 50 === 20 ? [run('plan', 10_000, { children })] : [])] }
      })
    for (const names of [
      ['light', 'heavy'],
      ['heavy', 'light'],
    ])
      expect(inputOf(frames(names), item('slice', ['plan']), 'piece').suggested).to.be.closeTo(0.5, 0.001)
    // Once in a frame is no piece: that is the whole.
    const once = Array.from({ length: 200 }, (_, i): TestFrame => ({
      runs: [
        run('loop', MS),
        ...(i % 50 === 20 ? [run('plan', 10_000, { children: [run('heavy', 4 * MS)] })] : []),
      ],
    }))
    expect(inputOf(once, item('slice', ['plan']), 'piece').suggested).to.be.closeTo(0, 0.001)
  })

  it('for a pool: sizes from the live curve, and the memory of one', () => {
    const frames: TestFrame[] = Array.from({ length: 400 }, (_, i) => ({
      runs: runs(i % 10 === 0 ? 5 : 0, 'make', 20_000, { bytes: 640 }),
      lives: { imp: [i % 10 === 0 ? 5 : 0, i % 10 === 5 ? 5 : 0] as [number, number] },
    }))
    const size = inputOf(frames, item('pool', ['make']), 'size')
    expect(size).to.include({ suggested: 5, origin: 'measured' })
    expect(size.others.map(({ words }) => words)).to.deep.equal([
      'never grows',
      'grows in 1 frame of 1,000',
      'smallest that pays',
    ])
    expect(inputOf(frames, item('pool', ['make']), 'bytes').suggested).to.be.closeTo(640, 1e-9)
    expect(inputOf(frames, item('pool', ['make']), 'making').suggested).to.be.closeTo(20, 1e-9)
  })
})

describe('words and layouts of forecasts', () => {
  it('give each figure before and after, in its unit', () => {
    const { forecast } = forecastPlan(baseOf(studyFrom(medley(120, 1), MEDLEY)), {
      items: [item('drop', ['plan'])],
    })
    const rows = new Map(
      figureRows(forecast.before, forecast.after).map(([words, before, after]) => [words, [before, after]]),
    )
    expect(rows.get('worst')![0]).to.match(/ms$/)
    expect(rows.get('frames over')![0]).to.match(/^\d+, /)
    expect(rows.get('largest heap')).to.deep.equal(['1.58 MB', '1.58 MB'])
    expect(rows.get('spikes')!.map(Number).every(Number.isInteger)).to.equal(true)
  })

  it('count cache lines as a pass touches them', () => {
    expect(layoutsOf(1000, 100, 16)).to.deep.equal({
      structs: { bytes: 100_000, lines: 2_000 },
      arrays: { bytes: 100_000, lines: 250 },
    })
    // What is used cannot be more than there is.
    expect(layoutsOf(10, 32, 1000).arrays.lines).to.equal(5)
  })
})
