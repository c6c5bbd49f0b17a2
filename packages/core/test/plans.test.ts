/** Plans: their format, what they come to as a whole, and the questions that are asked of them. */
import { expect } from 'chai'
import { differencesOf, hasWrongSign, isNear, proofPlace, proofText, tellProof } from '@lapsus/core/compare'
import {
  baseOf,
  counts,
  emptyPlan,
  forecastPlan,
  frameAfter,
  groupFigures,
  optionsOf,
  planFromJson,
  planFromText,
  planToJson,
  pathFigures,
  planToMarkdown,
  weigh,
  spansAfter,
  stillOver,
} from '@lapsus/core/remedy'
import { frameFigures } from '@lapsus/core/take'
import { SCENES } from './support/scenes.ts'
import { forecastOn, item, pathOf, totalOf } from './support/plans.ts'
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
const REFRESH = 1e9 / 60

/** Locked to a refresh: `sim` with npcs, a burst every tenth frame, and the wait for the refresh. */
function locked(count = 120): TestFrame[] {
  return Array.from({ length: count }, (_, i) => {
    const burst = i % 10 === 4 ? runs(1, 'burst', 14 * MS) : []
    const spent = 6 * MS + burst.length * 14 * MS
    return {
      runs: [
        run('sim', 1 * MS, { children: [...runs(10, 'npc', 0.4 * MS, { effect: i % 2 === 0 }), ...burst] }),
        run('draw', 1 * MS),
        run('refresh', Math.ceil(spent / REFRESH) * REFRESH - spent),
      ],
      gauges: { load: 10 },
    }
  })
}
const LOCKED: TestGame = {
  markers: { refresh: { kind: 'wait:refresh' }, npc: { group: 'actors' }, draw: { group: 'picture' } },
}
const BURST = ['sim', 'burst']

describe('a plan', () => {
  it('gives figures before and after, by the same definitions as everywhere', () => {
    const { forecast, replay } = forecastOn(locked(), [item('drop', BURST)], LOCKED)
    const { study } = replay.base
    expect(forecast.before.frames).to.deep.equal(frameFigures(study.frames, 1000 / 60))
    expect(forecast.before.frames.over).to.equal(12)
    expect(forecast.after.frames.over).to.equal(0)
    expect(forecast.before.frames.late).to.equal(12)
    expect(forecast.after.frames.late).to.equal(0)
    expect(forecast.before.spikes).to.equal(12)
    expect(forecast.after.spikes).to.equal(0)
    expect(forecast.after.frames.work.worst).to.be.closeTo(6, 1e-6)
  })

  it('lets what it saves before a refresh be waited for, in whole refreshes', () => {
    const { forecast } = forecastOn(locked(), [item('by-hand', BURST, { factor: 0.5 })], LOCKED)
    const { durationNs, waitNs, workNs } = forecast.frames
    for (let i = 0; i < 120; i++) {
      expect(durationNs[i]).to.be.closeTo(REFRESH, 1)
      expect(waitNs.refresh[i]! + workNs[i]!).to.be.closeTo(REFRESH, 1)
    }
  })

  it('takes up savings in the wait for graphics, as long as there is one', () => {
    const frames: TestFrame[] = Array.from({ length: 20 }, () => ({
      runs: [run('sim', 6 * MS), run('gpu', 4 * MS)],
    }))
    const game: TestGame = { markers: { gpu: { kind: 'wait:graphics' } } }
    const less = forecastOn(frames, [item('by-hand', ['sim'], { factor: 0.5 })], game).forecast
    less.frames.durationNs.forEach((ns) => expect(ns).to.be.closeTo(10 * MS, 1))
    less.frames.waitNs.graphics.forEach((ns) => expect(ns).to.be.closeTo(7 * MS, 1))
    const more = forecastOn(frames, [item('by-hand', ['sim'], { factor: 2 })], game).forecast
    more.frames.durationNs.forEach((ns) => expect(ns).to.be.closeTo(12 * MS, 1))
    more.frames.waitNs.graphics.forEach((ns) => expect(ns).to.be.closeTo(0, 1))
  })

  it('leaves out what is off or dropped, and says what still could be set', () => {
    const items = [item('drop', BURST, {}, { on: false }), item('drop', ['draw'], {}, { state: 'dropped' })]
    const { forecast } = forecastOn(locked(), items, LOCKED)
    expect(forecast.after).to.deep.equal(forecast.before)
    expect(forecast.items.map(({ gainMsPerFrame }) => gainMsPerFrame)).to.deep.equal([0, 0])
    const off = forecastOn(locked(), [item('by-hand', BURST, {}, { on: false })], LOCKED).forecast
    expect(off.items[0]!.inputs.map(({ name }) => name)).to.deep.equal(['factor'])
  })

  it('goes on where one of its items cannot be, and names that', () => {
    const items = [
      item('drop', ['gone', 'away']),
      item('by-hand', BURST, { factor: -3 }),
      item('by-hand', ['draw'], { factor: 0, colour: 7 }),
      item('drop', BURST),
    ]
    const { forecast } = forecastOn(locked(), items, LOCKED)
    expect(forecast.items.map(({ refusal }) => refusal)).to.deep.equal([
      'the take has no path gone > away',
      '“factor on its time” must be a number from 0 to 10, got -3',
      null,
      null,
    ])
    expect(forecast.items[2]!.problems).to.deep.equal([
      'there is no parameter “colour” here; there are: factor',
    ])
    expect(forecast.after.frames.work.worst).to.be.closeTo(5, 1e-6)
  })

  it('works on no frames at all, and on one', () => {
    const none = forecastPlan(baseOf(studyFrom([])), { items: [item('drop', ['sim'])] }).forecast
    expect(none.items[0]!.refusal).to.equal('the take has no path sim')
    expect(none.after.frames.frames).to.equal(0)
    const one = forecastOn(
      [{ runs: [run('sim', MS)] }],
      [item('drop', ['sim']), item('timer', ['sim'])],
    ).forecast
    expect(one.after.frames.work.worst).to.equal(0)
  })

  it('names the frames that stay over, worst first, and what takes most of them', () => {
    const frames = locked().map((frame, i) =>
      i === 50 ? { ...frame, runs: [run('load', 40 * MS), ...frame.runs] } : frame,
    )
    const forecasted = forecastOn(frames, [item('drop', BURST)], LOCKED)
    const over = stillOver(forecasted)
    expect(over.map(({ frame }) => frame)).to.deep.equal([50])
    const [first] = over[0]!.because
    const { study } = forecasted.replay.base
    expect(study.declarations.marker(study.paths.get(first!.path!).marker).name).to.equal('load')
    expect(first!.ns).to.equal(40 * MS)
    expect(stillOver(forecastOn(frames, [], LOCKED), 3)).to.have.length(3)
  })

  it('tells which assumptions matter, the one that moves most first', () => {
    const base = baseOf(studyFrom(locked(), LOCKED))
    const plan = {
      ...emptyPlan(),
      items: [item('by-hand', ['sim', 'npc'], { factor: 0.5 }), item('by-hand', ['draw'], { factor: 0.5 })],
    }
    const found = weigh(base, plan, forecastPlan(base, plan).forecast).sensitivity
    expect(found.map((one) => one.item)).to.deep.equal([plan.items[0]!.id, plan.items[1]!.id])
    const [npc] = found
    // 4 ms of npcs, ± 15 % of them.
    expect(npc!.high.p95Ms - npc!.low.p95Ms).to.be.closeTo(4 * 0.3, 1e-6)
    expect([npc!.low.value, npc!.high.value]).to.deep.equal([0.35, 0.65])
  })

  it('gives each figure a range, from what is assumed and from how frames scatter', () => {
    const rangesOf = (workMs: (frame: number) => number, factors: number[]) => {
      const names = factors.map((_, i) => `path ${i}`)
      const frames: TestFrame[] = Array.from({ length: 200 }, (_, frame) => ({
        runs: [run('rest', workMs(frame) * MS), ...names.map((name) => run(name, 4 * MS))],
      }))
      const base = baseOf(studyFrom(frames))
      const items = factors.map((factor, i) => item('by-hand', [`path ${i}`], { factor }))
      const plan = { ...emptyPlan(), items }
      return weigh(base, plan, forecastPlan(base, plan).forecast).ranges
    }
    // Frames that are all alike: only the factor counts, ± 0.3 × 0.5 of 4 ms.
    const alone = rangesOf(() => 10, [0.5])
    expect(alone.p95.low).to.be.closeTo(12 - 0.6, 1e-6)
    expect(alone.p95.high).to.be.closeTo(12 + 0.6, 1e-6)
    // Two of them by themselves: the squares add up.
    const two = rangesOf(() => 10, [0.5, 0.5])
    expect(two.meanMs.high - 14).to.be.closeTo(Math.hypot(0.6, 0.6), 1e-6)
    expect(14 - two.meanMs.low).to.be.closeTo(Math.hypot(0.6, 0.6), 1e-6)
    // Ten stretches of 20 frames, at 10 and 12 ms in turn, nothing planned that is assumed: the standard error of their mean.
    const scattering = rangesOf((frame) => (Math.floor(frame / 20) % 2 === 0 ? 10 : 12), [])
    const deviation = Math.sqrt((10 * 1 ** 2) / 9)
    expect(scattering.meanMs.high - 11).to.be.closeTo((1.96 * deviation) / Math.sqrt(10), 1e-6)
    expect(scattering.over).to.deep.equal({ low: 0, high: 0 })
  })

  it('shows groups against what they may take', () => {
    const { forecast, replay } = forecastOn(
      locked(),
      [item('by-hand', ['sim', 'npc'], { factor: 0.25 })],
      LOCKED,
    )
    const of = (after: boolean) =>
      groupFigures(replay.base, after ? replay : null, { actors: 2 }).find(({ group }) => group === 'actors')!
    expect(of(false)).to.deep.include({ budgetMs: 2, over: 120 })
    expect(of(false).meanMs).to.be.closeTo(4, 1e-9)
    expect(of(true).meanMs).to.be.closeTo(1, 1e-9)
    expect(of(true).over).to.equal(0)
    expect(forecast.items[0]!.gainMsPerFrame).to.be.closeTo(3, 1e-9)
  })

  it('offers what fits a finding, what gains most first, with reasons where it does not', () => {
    const base = baseOf(studyFrom(locked(), LOCKED))
    const options = optionsOf(base, {
      path: ['sim', 'npc'],
      subject: '',
      remedies: ['hoist', 'gate', 'drop', 'react'],
      frames: [1],
    })
    expect(options.map(({ remedy }) => remedy)).to.deep.equal(['drop', 'react', 'gate', 'hoist'])
    expect(options[0]!.gainMsPerFrame).to.be.closeTo(4, 1e-9)
    // In odd frames all npcs are needless.
    expect(options[1]!.gainMsWhereItStrikes).to.be.closeTo(4, 0.01)
    expect(options[3]!.refusal).to.contain('repeats')
    expect(options.map(({ helps }) => helps)).to.deep.equal([true, true, true, false])
    // Everywhere as well, where no frames are named; and what takes nothing away does not help.
    const everywhere = { path: ['sim', 'npc'], subject: '', frames: [] }
    const [drop, distance] = optionsOf(base, { ...everywhere, remedies: ['rate-by-distance', 'drop'] })
    expect([drop!.remedy, drop!.helps]).to.deep.equal(['drop', true])
    expect(distance!.helps).to.equal(false)
  })
})

describe('the page of a frame with a plan', () => {
  const spansOf = (frames: TestFrame[], frame: number, ids: (names: string[]) => number) => {
    const rows: { path: number; startNs: number; durationNs: number }[] = []
    const lay = (span: Run, at: number, above: string[]): number => {
      const names = [...above, span.marker]
      const total = totalOf(span)
      rows.push({ path: ids(names), startNs: at, durationNs: total })
      let inner = at + span.selfNs
      for (const child of span.children ?? []) inner = lay(child, inner, names)
      return at + total
    }
    let at = 1_000_000
    for (const span of frames[frame]!.runs) at = lay(span, at, [])
    return {
      path: Uint32Array.from(rows, ({ path }) => path),
      startNs: Float64Array.from(rows, ({ startNs }) => startNs),
      durationNs: Float64Array.from(rows, ({ durationNs }) => durationNs),
    }
  }

  it('has each run as long as the plan leaves it, nested and in order as before', () => {
    const frames = locked()
    const forecasted = forecastOn(
      frames,
      [item('by-hand', ['sim', 'npc'], { factor: 0.5 }), item('drop', BURST)],
      LOCKED,
    )
    const { study } = forecasted.replay.base
    const ids = (names: string[]) => pathOf(study, names)
    const spans = spansOf(frames, 4, ids)
    const after = spansAfter(spans, 1_000_000, study.paths, frameAfter(forecasted, 4))
    const total = (name: string[]) =>
      [...after.path.keys()]
        .filter((i) => after.path[i] === ids(name))
        .reduce((sum, i) => sum + after.durationNs[i]!, 0)
    expect(total(['sim', 'npc'])).to.be.closeTo(2 * MS, 1)
    expect([...after.path]).to.not.include(ids(BURST))
    expect(total(['sim'])).to.be.closeTo(3 * MS, 1)
    expect(total(['refresh'])).to.be.closeTo(forecasted.forecast.frames.waitNs.refresh[4]!, 1)
    expect(after.startNs[0]).to.equal(1_000_000)
    // Nothing overlaps: each root begins where the one before it ended.
    const roots = [...after.path.keys()].filter((i) => study.paths.depthOf[after.path[i]!] === 0)
    roots.slice(1).forEach((root, i) => {
      expect(after.startNs[root]).to.be.closeTo(after.startNs[roots[i]!]! + after.durationNs[roots[i]!]!, 1)
    })
    expect([...after.from].every((from) => from >= 0)).to.equal(true)
  })

  it('shows what takes time only by the plan, though its runs took none', () => {
    const frames: TestFrame[] = Array.from({ length: 20 }, () => ({
      runs: [run('sim', MS, { children: [run('check', 0, { effect: true })] })],
    }))
    const forecasted = forecastOn(frames, [
      item('react', ['sim', 'check'], { dispatch: 50 }),
      item('gate', ['sim', 'check'], { test: 30 }),
    ])
    const { study } = forecasted.replay.base
    const ids = (names: string[]) => pathOf(study, names)
    const after = spansAfter(spansOf(frames, 3, ids), 1_000_000, study.paths, frameAfter(forecasted, 3))
    const total = (path: number) =>
      [...after.path.keys()]
        .filter((i) => after.path[i] === path)
        .reduce((sum, i) => sum + after.durationNs[i]!, 0)
    expect(total(ids(['sim']))).to.be.closeTo(forecasted.forecast.frames.workNs[3]!, 1)
    expect(total(ids(['sim', 'check']))).to.be.closeTo(30_000, 1)
  })

  it('runs what it belongs to, too, where neither ran before', () => {
    // Letters are born in every frame; they are made only in every other one.
    const frames: TestFrame[] = Array.from({ length: 20 }, (_, i) => ({
      runs: [
        run('sim', MS, {
          children: i % 2 === 0 ? [run('post', 500_000, { children: [run('make', 300_000)] })] : [],
        }),
      ],
      lives: { letter: [1, 1] },
    }))
    const path = ['sim', 'post', 'make']
    const forecasted = forecastOn(frames, [item('pool', path, { size: 4, take: 20 })])
    expect(forecasted.forecast.items[0]!.refusal).to.equal(null)
    const { study } = forecasted.replay.base
    const ids = (names: string[]) => pathOf(study, names)
    const after = spansAfter(spansOf(frames, 3, ids), 1_000_000, study.paths, frameAfter(forecasted, 3))
    expect([...after.path]).to.deep.equal([ids(['sim']), ids(['sim', 'post']), ids(path)])
    expect([...after.durationNs]).to.deep.equal([1_020_000, 20_000, 20_000])
    expect([...after.from]).to.deep.equal([0, -1, -1])
  })

  it('shows work that comes from other frames where it belongs', () => {
    const frames = locked()
    const forecasted = forecastOn(frames, [item('slice', BURST, { budget: 3, cost: 0 })], LOCKED)
    expect(forecasted.forecast.items[0]!.refusal).to.equal(null)
    const { study } = forecasted.replay.base
    const ids = (names: string[]) => pathOf(study, names)
    const after = spansAfter(spansOf(frames, 5, ids), 1_000_000, study.paths, frameAfter(forecasted, 5))
    const moved = [...after.path.keys()].find((i) => after.path[i] === ids(BURST))!
    expect(after.from[moved]).to.equal(-1)
    expect(after.durationNs[moved]).to.be.closeTo(3 * MS, 1)
    const sim = [...after.path.keys()].find((i) => after.path[i] === ids(['sim']))!
    expect(after.durationNs[sim]).to.be.closeTo(8 * MS, 1)
  })
})

describe('a plan as JSON', () => {
  const plan = {
    name: 'Spring cleaning – für später',
    items: [item('pool', ['mail', 'letter'], { size: 12, beyond: 'grow' }, { note: 'ask Ana', who: 'Bo' })],
    proof: ['take-12345'],
  }

  it('comes back as it was', () => {
    const { plan: read, problems } = planFromJson(JSON.parse(JSON.stringify(planToJson(plan))))
    expect(read).to.deep.equal(plan)
    expect(problems).to.deep.equal([])
  })

  it('names one take as its proof, or several, as plans did before there could be several', () => {
    const read = (proof: unknown) =>
      planFromJson({ format: 'lapsus-plan', version: 1, items: [], proof }).plan.proof
    expect(read('take-12345')).to.deep.equal(['take-12345'])
    expect(read(['a', 'b:seek=near', '', 7])).to.deep.equal(['a', 'b:seek=near'])
    for (const none of [null, undefined, '', {}]) expect(read(none)).to.deep.equal([])
  })

  it('keeps what makes sense of one that does not in all, and names the rest', () => {
    const { plan: read, problems } = planFromJson({
      format: 'lapsus-plan',
      version: 1,
      items: [
        { remedy: 'wish', path: ['a'] },
        7,
        { remedy: 'drop', path: 'a' },
        { remedy: 'drop', path: ['a'], id: 'x', state: 'someday', parameters: { a: NaN, b: 'text', c: [1] } },
        { remedy: 'drop', path: ['b'], id: 'x' },
      ],
    })
    expect(read.items.map(({ path }) => path)).to.deep.equal([['a'], ['b']])
    expect(new Set(read.items.map(({ id }) => id)).size).to.equal(2)
    expect(read.items[0]).to.deep.include({ state: 'idea', parameters: { b: 'text' } })
    expect(problems).to.have.length(6)
    expect(problems[0]).to.match(/^item 1 is left out: there is no remedy "wish"; there are: pool,/)
    expect(problems.join('\n')).to.contain('item 2 is left out: expected an object, got 7')
    expect(problems.join('\n')).to.contain('"state" must be one of idea, doing, done, dropped, got "someday"')
  })

  it('is refused where it is none, or of another version', () => {
    expect(() => planFromJson([])).to.throw('expected a plan')
    expect(() => planFromJson(null)).to.throw('expected a plan')
    expect(() => planFromJson({ format: 'other' })).to.throw('"format" must be "lapsus-plan", got "other"')
    expect(() => planFromJson({ format: 'lapsus-plan', version: 2, items: [] })).to.throw(
      'version 2; version 1 is understood',
    )
    expect(() => planFromJson({ format: 'lapsus-plan', version: 1 })).to.throw('"items" must be an array')
  })

  it('reads as a whole: figures, items in order, what is off, dropped, noted and assumed', () => {
    const { frames, game = {} } = SCENES['old news']!
    const markers = { ...game.markers, refresh: { kind: 'wait:refresh' as const } }
    const noted = {
      ...emptyPlan('Quiet *nights*'),
      items: [
        {
          ...item('react', ['sim', 'text']),
          note: 'ask Ana\nbefore | after',
          who: 'Bo',
          state: 'doing' as const,
        },
        { ...item('drop', ['gone']), on: false },
        { ...item('by-hand', []), state: 'dropped' as const, reason: 'nobody believes it' },
        { ...item('limit-steps', ['sim', 'text']), effort: 'large' as const },
      ],
    }
    const { forecast } = forecastPlan(baseOf(studyFrom(frames, { target: 50, ...game, markers })), noted)
    const text = planToMarkdown(noted, forecast, { game: 'Moth_Post', take: 'night', target: 50 })
    expect(
      text
        .slice(0, text.indexOf('```json'))
        .split('\n')
        .filter((line) => line !== ''),
    ).to.deep.equal([
      '# Quiet \\*nights\\*',
      'Moth\\_Post, worked out on night, at 50.0 frames a second (20.0 ms).',
      '| | before | forecast |',
      '| --- | --- | --- |',
      '| work p50 | 4.50 ms | 4.00 ms |',
      '| work p95 | 4.50 ms | 4.00 ms |',
      '| work p99 | 4.50 ms | 4.50 ms |',
      '| worst | 4.50 ms | 4.50 ms |',
      '| frames over | 0, 0 % | 0, 0 % |',
      '| frames late | 0 | 0 |',
      '| spikes | 0 | 0 |',
      '| collections, of 1,000 frames | 0 | not known |',
      '| allocated a frame | not known | not known |',
      '| largest heap | not known | not known |',
      '## 1. react to change: sim \\> text',
      'doing; effort medium; Bo. Gain 0.485 ms a frame.',
      'ask Ana before \\| after',
      'Price: every writer must announce, 3.00 times a second.',
      '- cost of one announcement: 2.00 µs (assumed)',
      '## 2. drop: gone',
      'idea, off; effort small. No gain: the take has no path gone.',
      '## 3. by hand: whole frames',
      'dropped; effort medium. No gain: this needs a path to be put to use at.',
      'Dropped because: nobody believes it',
      '## 4. limit steps: sim \\> text',
      'idea; effort large. No gain: text never runs more than once a frame: there are no steps to limit.',
    ])
  })

  it('comes back from its own text, whatever stands in its notes', () => {
    const { forecast } = forecastOn(locked(), [item('drop', BURST)], LOCKED)
    const noted = {
      ...plan,
      items: [item('drop', BURST, {}, { note: '```json\n{"format":"other"}\n``` # x' })],
    }
    const text = planToMarkdown(noted, forecast, { game: 'Game', take: 'night', target: 60 })
    expect(planFromText(text)).to.deep.equal({ plan: noted, problems: [], numbers: [1] })
    expect(planFromText(JSON.stringify(planToJson(plan)))).to.deep.equal({ plan, problems: [], numbers: [1] })
    expect(() => planFromText('# A plan without itself')).to.throw('neither JSON nor a plan as Markdown')
    expect(() => planFromText('')).to.throw('neither JSON nor a plan as Markdown')
  })

  it('counts what is on and not dropped', () => {
    expect(counts({ on: true, state: 'done' })).to.equal(true)
    expect(counts({ on: true, state: 'dropped' })).to.equal(false)
    expect(counts({ on: false, state: 'idea' })).to.equal(false)
  })

  it('reads as text with figures, reasons and no markup of its own', () => {
    const items = [
      item('drop', BURST, {}, { note: 'not <b>now</b> | # *', who: 'Bo' }),
      item('by-hand', ['draw'], {}, { state: 'dropped', reason: 'too ugly' }),
    ]
    const { forecast } = forecastOn(locked(), items, LOCKED)
    const text = planToMarkdown({ name: 'A plan', items, proof: [] }, forecast, {
      game: 'Game',
      take: 'night',
      target: 60,
    })
    expect(text).to.contain('| work p99 | 20.0 ms | 6.00 ms |')
    expect(text).to.contain('## 1. drop: sim \\> burst')
    expect(text).to.contain('Dropped because: too ugly')
    expect(text).to.contain('not \\<b\\>now\\</b\\> \\| \\# \\*')
  })
})

describe('a proof', () => {
  /** A plan that drops the burst, held against frames recorded with the fix on a machine so many times as slow. */
  function proofOf(slow: number, { left = 0, subjects = [] as string[], gauge = true } = {}) {
    const random = randomFrom(4)
    const unrest = (frames: TestFrame[], factor: number): TestFrame[] => {
      const shake = (one: Run): Run => ({
        ...one,
        selfNs: Math.round(one.selfNs * factor * (0.98 + 0.04 * random())),
        children: (one.children ?? []).map(shake),
      })
      return frames.map((frame) => ({ ...frame, runs: frame.runs.map(shake) }))
    }
    const many = (): TestFrame[] =>
      Array.from({ length: 300 }, (_, i) => ({
        runs: [
          run('sim', 2 * MS, {
            children: [run('burst', i % 3 === 0 ? 6 * MS : 2 * MS), run('belt', MS), run('look', MS)],
          }),
          run('draw', 2 * MS),
        ],
        ...(gauge ? { gauges: { bursts: 4, letters: 10 } } : {}),
      }))
    const before = studyFrom(unrest(many(), 1), { conditions: { build: 'old' } })
    const mended = many().map((frame) => ({
      ...frame,
      ...(gauge ? { gauges: { letters: 10, ...(left > 0 ? { bursts: 9 } : {}) } } : {}),
      runs: frame.runs.map((one) => ({
        ...one,
        children: (one.children ?? []).flatMap((child) =>
          child.marker !== 'burst' ? [child] : left > 0 ? [run('burst', left)] : [],
        ),
      })),
    }))
    const after = studyFrom(unrest(mended, slow), { conditions: { build: 'new' } })
    const base = baseOf(before)
    const plan = { ...emptyPlan(), items: [item('drop', ['sim', 'burst'])] }
    const { forecast, replay } = forecastPlan(base, plan)
    const paths = pathFigures(base, replay)
    const { ranges } = weigh(base, plan, forecast)
    return tellProof(before, [after], { ...forecast, ranges, paths, subjects })
  }

  it('is told at equal speed of the machine: a slower one makes no forecast wrong', () => {
    for (const slow of [1, 1.4]) {
      const { lines, paths, sentence, speed } = proofOf(slow)
      const mean = lines.find(({ id }) => id === 'mean')!
      expect(speed.ratio).to.be.closeTo(slow, 0.03 * slow)
      expect(mean.before).to.be.closeTo(6 + 10 / 3, 0.05)
      expect(mean.forecast).to.be.closeTo(6, 0.05)
      expect(mean.after).to.be.closeTo(6 * slow, 0.1)
      expect(mean.even).to.be.closeTo(6, 0.15)
      expect(mean).to.include({ near: true, inRange: mean.even! >= mean.low! && mean.even! <= mean.high! })
      expect(mean.error).to.be.closeTo(mean.forecast! - mean.even!, 1e-12)
      const burst = paths[0]!
      expect(burst.path).to.deep.equal(['sim', 'burst'])
      expect(burst).to.deep.include({ forecast: 0, even: 0, after: 0, near: true, verdict: 'better' })
      expect(sentence).to.match(
        /^The fix brought 3\.[2-5]\d ms a frame, surely; 3\.[2-4]\d ms \(.* to .*\) were forecast;/,
      )
    }
  })

  it('says where the fix brought less than was forecast, and where it made things worse', () => {
    const less = proofOf(1, { left: 3 * MS })
    const mean = less.lines.find(({ id }) => id === 'mean')!
    expect(mean).to.include({ near: false, inRange: false, isReversed: false })
    expect(less.sentence).to.contain('what came out lies outside its range')
    const worse = proofOf(1, { left: 6 * MS })
    expect(worse.lines.find(({ id }) => id === 'mean')!.isReversed).to.equal(true)
    expect(worse.sentence).to.match(/^Frames take 2\.\d+ ms longer with the fix, surely/)
  })

  it('does not warn of the build, nor of what the fix itself changed or took away', () => {
    expect(proofOf(1).differences).to.deep.equal([])
    expect(proofOf(1, { left: MS }).differences.join()).to.contain('“bursts”: 4.00 before, 9.00 after')
    expect(proofOf(1, { left: MS, subjects: ['bursts'] }).differences).to.deep.equal([])
  })

  it('is a take, or the frames of a variant', () => {
    expect(proofPlace('take-1')).to.deep.equal({ take: 'take-1', variant: null })
    const place = { take: 'take-1', variant: 'moth.seek=near: all' }
    expect(proofPlace(proofText(place))).to.deep.equal(place)
  })

  it('is near within 15 %, or 0.3 ms; a sign is wrong only beyond the unrest of machines', () => {
    expect(isNear(1.2, 1)).to.equal(true)
    expect(isNear(1.31, 1)).to.equal(false)
    expect(isNear(11.4, 10)).to.equal(true)
    expect(isNear(8.4, 10)).to.equal(false)
    expect(hasWrongSign({ before: 10, forecast: 8, even: 12 })).to.equal(true)
    expect(hasWrongSign({ before: 10, forecast: 8, even: 10.2 })).to.equal(false)
    expect(hasWrongSign({ before: 10, forecast: 8, even: 9 })).to.equal(false)
  })

  it('says in words where two takes are not of the same load', () => {
    const one = studyFrom(locked(200), { ...LOCKED, conditions: { build: 'debug', seed: 1 } })
    expect(differencesOf(one, one)).to.deep.equal([])
    const heavier = locked(200).map((frame) => ({ ...frame, gauges: { load: 20 } }))
    const other = studyFrom(heavier, { ...LOCKED, conditions: { build: 'release', seed: 1 } })
    expect(differencesOf(one, other)).to.deep.equal([
      'build: “debug” before, “release” after',
      '“load”: 10.0 before, 20.0 after (50.0 % apart)',
    ])
    expect(differencesOf(one, studyFrom(locked(20), LOCKED)).join()).to.contain('only 20 frames after')
  })
})
