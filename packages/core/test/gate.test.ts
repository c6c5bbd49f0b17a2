/** Budgets: what is read, what each figure is, just at the limit and just above, and how it is told. */
import { expect } from 'chai'
import {
  budgetFromJson,
  budgetOfTake,
  budgetSchema,
  budgetToJson,
  checkJunit,
  checkReport,
  checkSentence,
  checkTakes,
  type Budget,
  type Checked,
} from '@lapsus/core/gate'
import { run, runs, studyFrom, type TestFrame } from './support/studies.ts'

const MS = 1e6

/** Frames of 20 ms at 50 a second; every tenth works 25 ms. `sim` 6 ms with `seek` 4 × 1 ms in it, `draw` 2 ms. */
const frames = (count = 100, seeks = 4, more: Partial<TestFrame> = {}): TestFrame[] =>
  Array.from({ length: count }, (_, frame) => ({
    ...more,
    lives: { letter: [frame < 7 ? 1 : 0, frame > 90 ? 1 : 0] },
    runs: [
      run('sim', 2 * MS, { children: runs(seeks, 'seek', MS, { bytes: 10 }) }),
      run('draw', frame % 10 === 0 ? 19 * MS : 2 * MS),
    ],
    worker: [run('wind', 3 * MS)],
  }))
const GAME = {
  target: 50,
  markers: { seek: { group: 'moths' }, draw: { group: 'drawing' } },
  conditions: { mode: 'bytes' as const },
}
const study = studyFrom(frames(), GAME)
const WORKER = [...study.declarations.lanes.values()][1]!.name

const budget = (limits: object): Budget => {
  const read = budgetFromJson({ format: 'lapsus-budget', version: 1, ...limits })
  expect(read.problems).to.deep.equal([])
  return read.budget
}
const check = (limits: object, of = study): Checked => checkTakes([{ name: 'a', study: of }], budget(limits))

describe('a budget', () => {
  // [limits, the figure worked out by hand]
  const cases: [string, (most: number) => object, number][] = [
    ['the median frame', (p50Ms) => ({ frames: { p50Ms } }), 8],
    ['the 95th percentile', (p95Ms) => ({ frames: { p95Ms } }), 25],
    ['the 99th percentile', (p99Ms) => ({ frames: { p99Ms } }), 25],
    ['the worst frame', (worstMs) => ({ frames: { worstMs } }), 25],
    ['the share over', (overShare) => ({ frames: { overShare } }), 0.1],
    ['the share late', (lateShare) => ({ frames: { lateShare } }), 0.1],
    ['a path with all inside', (msPerFrame) => ({ paths: [{ path: ['sim'], msPerFrame }] }), 6],
    ['its own time', (ownMsPerFrame) => ({ paths: [{ path: ['sim'], ownMsPerFrame }] }), 2],
    ['runs of a path', (runsPerFrame) => ({ paths: [{ path: ['sim', 'seek'], runsPerFrame }] }), 4],
    ['bytes of a path', (bytesPerFrame) => ({ paths: [{ path: ['sim', 'seek'], bytesPerFrame }] }), 40],
    ['a path of a worker', (msPerFrame) => ({ paths: [{ path: ['wind'], lane: WORKER, msPerFrame }] }), 3],
    ['a group', (ownMsPerFrame) => ({ groups: { moths: { ownMsPerFrame } } }), 4],
    ['runs of a group', (runsPerFrame) => ({ groups: { moths: { runsPerFrame } } }), 4],
    // Seven are born, nine die: two were there before.
    ['a class alive', (alive) => ({ classes: { letter: { alive } } }), 9],
    ['collections', (collectionsPer1000) => ({ frames: { collectionsPer1000 } }), 0],
  ]
  for (const [name, limits, figure] of cases) {
    it(`limits ${name}`, () => {
      const [row] = check(limits(figure * (1 + 1e-9))).rows
      expect(row!.value).to.be.closeTo(figure, 1e-9)
      expect(row!.outcome).to.equal('holds')
      if (figure > 0) expect(check(limits(figure * (1 - 1e-9))).outcome).to.equal('breached')
    })
  }

  it('judges by a target of its own', () => {
    const overShare = 0.05
    expect(check({ frames: { overShare } }).outcome).to.equal('breached')
    expect(check({ frames: { overShare }, target: 30 }).outcome).to.equal('holds')
  })

  it('counts findings of a kind that are not small', () => {
    const wasteful = studyFrom(
      frames().map((frame) => ({
        ...frame,
        runs: [...frame.runs, run('text', 2 * MS, { effect: false })],
      })),
      GAME,
    )
    const kind = 'needless-updates'
    expect(check({ findings: { [kind]: 0 } }).rows[0]).to.include({ value: 0, outcome: 'holds' })
    expect(check({ findings: { [kind]: 0 } }, wasteful).rows[0]).to.include({ value: 1, outcome: 'breached' })
    expect(check({ findings: { [kind]: 1 } }, wasteful).outcome).to.equal('holds')
  })

  it('cannot tell of what is not there, and checks the rest', () => {
    const limits = {
      paths: [
        { path: ['gone'], runsPerFrame: 1 },
        { path: ['sim'], lane: 'nowhere', runsPerFrame: 1 },
        { path: ['sim'], runsPerFrame: 1 },
      ],
      groups: { none: { runsPerFrame: 1 } },
      classes: { owl: { alive: 1 } },
    }
    const told = check(limits)
    expect(told.outcome).to.equal('cannot-tell')
    expect(told.rows.map(({ outcome }) => outcome)).to.deep.equal([
      'cannot-tell',
      'cannot-tell',
      'cannot-tell',
      'holds',
      'cannot-tell',
    ])
    expect(told.rows.map(({ words }) => words).join('\n')).to.contain('the take has no path gone on the lane')
    expect(checkSentence(told)).to.equal('The budget cannot be judged: 4 untold, 1 held.')
    // What is breached is breached, whatever else cannot be told.
    expect(check({ ...limits, frames: { p50Ms: 1 } }).outcome).to.equal('breached')
  })

  it('cannot tell bytes that were not recorded, nor anything of a take without frames', () => {
    const bytes = { paths: [{ path: ['sim', 'seek'], bytesPerFrame: 1 }], frames: { bytesPerFrame: 1 } }
    const told = check(bytes, studyFrom(frames(), { ...GAME, conditions: {} }))
    expect(told.rows.map(({ value, words }) => [value, words])).to.deep.include([
      null,
      'bytes were not recorded',
    ])
    const none = check({ frames: { p50Ms: 1 } }, studyFrom([], GAME))
    expect(none.rows[0]).to.include({ value: null, outcome: 'cannot-tell', words: 'the take has no frames' })
    expect(check({ frames: { p50Ms: 9 } }, studyFrom(frames(2), GAME)).outcome).to.equal('breached')
  })

  it('without limits has checked nothing', () => {
    expect(check({})).to.deep.include({ outcome: 'cannot-tell', rows: [] })
  })
})

describe('a budget file', () => {
  const read = (limits: object) => budgetFromJson({ format: 'lapsus-budget', version: 1, ...limits })

  it('of another kind or version is none', () => {
    expect(() => budgetFromJson([])).to.throw('expected a budget')
    expect(() => budgetFromJson({ format: 'lapsus-plan' })).to.throw(
      '"format" must be "lapsus-budget", got "lapsus-plan"',
    )
    expect(() => budgetFromJson({ format: 'lapsus-budget', version: 2 })).to.throw(
      'this budget is of version 2; version 1 is understood here',
    )
  })

  it('names what makes no sense, where it is, and keeps the rest', () => {
    const { budget: kept, problems } = read({
      fames: {},
      target: 0,
      worseByMs: -1,
      frames: { p42Ms: 3, p95Ms: 'much', p50Ms: 3, p99Ms: NaN },
      groups: { moths: { msPerFrame: 2 }, Wörter: { runsPerFrame: 1, lane: 4 } },
      paths: [{ path: [] }, 'sim', { path: ['sim'], runsPerFrame: 2 }],
      classes: [],
      findings: { nonsense: 1 },
    })
    expect(kept.limits.map(({ of, figure }) => [of, figure])).to.deep.equal([
      ['frames', 'p50Ms'],
      ['paths', 'runsPerFrame'],
    ])
    const expected = [
      /^fames: there is nothing of that name to limit; there are: target, worseByMs/,
      /^target: expected a number above 0, got 0$/,
      /^worseByMs: expected a number from 0 on, got -1$/,
      /^frames\.p42Ms: there is nothing of that name to limit; there are: p50Ms, /,
      /^frames\.p95Ms: expected a number from 0 on, got "much"$/,
      /^frames\.p99Ms: expected a number from 0 on, got NaN$/,
      /^groups\.moths\.msPerFrame: there is nothing/,
      /^groups\.Wörter\.lane: expected a lane’s name, got 4$/,
      /^paths\[0\]\.path: expected names of markers/,
      /^paths\[1\]\.path: expected names of markers/,
      /^classes: expected an object, got an array$/,
      /^findings\.nonsense: there is nothing of that name to limit; there are: /,
    ]
    expect(problems).to.have.length(expected.length)
    expected.forEach((words, i) => expect(problems[i]).to.match(words))
    // Nothing is passed over in silence: a budget that was not understood cannot hold.
    const loose: Budget = { ...kept, limits: kept.limits.map((limit) => ({ ...limit, most: 1e6 })) }
    expect(checkTakes([{ name: 'a', study }], loose, [], problems).outcome).to.equal('cannot-tell')
    expect(checkTakes([{ name: 'a', study }], loose).outcome).to.equal('holds')
  })

  it('does not trip over names that objects have', () => {
    expect(
      read(JSON.parse('{"classes":{"__proto__":{"alive":1}},"frames":{"constructor":1}}') as object).problems,
    )
      .to.have.length(1)
      .and.to.match(/frames\.constructor/)
  })

  it('made of a take holds for it, comes back from JSON as it was, and is broken by more runs', () => {
    const made = budgetOfTake(study)
    expect(made.limits.map(({ of }) => of)).to.include.members(['frames', 'paths', 'classes'])
    const back = budgetFromJson(JSON.parse(JSON.stringify(budgetToJson(made))))
    expect(back).to.deep.equal({ budget: made, problems: [] })
    expect(checkTakes([{ name: 'a', study }], made).outcome).to.equal('holds')
    const more = (seeks: number) =>
      checkTakes([{ name: 'a', study: studyFrom(frames(100, seeks), GAME) }], made)
    const broken = more(5).rows.filter(({ outcome }) => outcome === 'breached')
    expect(broken.map(({ name, figure }) => [name.join(' > '), figure])).to.deep.equal([
      ['', 'bytesPerFrame'],
      ['sim > seek', 'runsPerFrame'],
      ['sim > seek', 'bytesPerFrame'],
    ])
  })

  it('made of a take leaves out what the recorder does, and what hardly takes time', () => {
    const more = frames().map((frame) => ({
      ...frame,
      runs: [...frame.runs, run('send', MS), run('just', 0.04 * MS), run('below', 0.0399 * MS)],
    }))
    const markers = { ...GAME.markers, send: { group: 'recorder' } }
    const { limits } = budgetOfTake(studyFrom(more, { ...GAME, markers }))
    const names = limits.filter(({ of }) => of === 'paths').map(({ name }) => name.at(-1))
    expect(names).to.include.members(['sim', 'seek', 'wind', 'just'])
    expect(names).not.to.include.oneOf(['send', 'below'])
  })

  it('has a schema that knows every limit', () => {
    const { properties } = budgetSchema() as { properties: Record<string, { properties?: object }> }
    expect(Object.keys(budgetToJson(budgetOfTake(study)))).to.satisfy((names: string[]) =>
      names.every((name) => name in properties),
    )
    expect(properties['frames']!.properties).to.have.property('collectionsPer1000')
  })
})

describe('a check against what was before', () => {
  const noisy = (seekMs: number, count = 400) =>
    studyFrom(
      Array.from({ length: count }, (_, frame): TestFrame => {
        const off = 1 + 0.01 * (((frame * 7919) % 13) / 13 - 0.5)
        return {
          runs: [
            run('sim', 2 * MS * off, { children: [run('seek', seekMs * MS * off)] }),
            ...['draw', 'sound', 'hud', 'belt'].map((name) => run(name, MS * off)),
          ],
        }
      }),
      { target: 50 },
    )
  const against = (seekMs: number, worseByMs: number) =>
    checkTakes([{ name: 'a', study: noisy(seekMs) }], budget({ worseByMs }), [noisy(1)])

  it('is breached by a path that is surely worse by more than may be', () => {
    const told = against(3, 0.5)
    expect(told.outcome).to.equal('breached')
    expect(told.rows).to.have.length(1)
    expect(told.rows[0]).to.deep.include({ of: 'before', name: ['sim', 'seek'], most: 0.5 })
    expect(told.rows[0]!.value).to.be.closeTo(2, 0.05)
    expect(against(3, 2.2).outcome).to.equal('holds')
    expect(against(1, 0).outcome).to.equal('holds')
    expect(against(0.5, 0).outcome).to.equal('holds')
  })

  it('cannot compare takes of other games', () => {
    const other = studyFrom([{ runs: [run('other', MS)] }, { runs: [run('other', MS)] }])
    expect(() => checkTakes([{ name: 'a', study }], budget({}), [other])).to.throw('no marker in common')
  })
})

describe('what is told of a check', () => {
  const limits = {
    frames: { p50Ms: 1 },
    paths: [{ path: ['a|b'], runsPerFrame: 1 }],
    classes: { letter: { alive: 9 } },
  }
  const told = checkTakes([{ name: 'night <1>&"', study }], budget(limits), [], ['x\u0001\ud800 < 🌙'])

  it('puts what is breached first, in columns and in Markdown', () => {
    const lines = checkReport(told).split('\n')
    expect(lines[0]).to.equal('The budget is breached: 1 breached, 1 untold, 1 held, 1 not understood.')
    expect(lines[3]).to.match(/frames +p50Ms +8\.00 +1\.00 +BREACHED$/)
    expect(lines[4]).to.match(/cannot tell: the take has no path a\|b/)
    expect(lines.at(-1)).to.equal('x\u0001\ud800 < 🌙')
    const markdown = checkReport(told, true)
    expect(markdown).to.contain('| take | what | figure | is | at most |  |\n| --- |')
    expect(markdown).to.contain('a\\|b')
  })

  it('is JUnit XML: failures for what is breached, errors for what cannot be told', () => {
    const xml = checkJunit(told)
    expect(xml).to.contain('<testsuite name="night &lt;1&gt;&amp;&quot;" tests="3" failures="1" errors="1">')
    expect(xml).to.contain('name="frames p50Ms"><failure message="8.00, at most 1.00"/></testcase>')
    expect(xml).to.contain('<testsuite name="budget" tests="1" failures="0" errors="1">')
    expect(xml).to.contain('message="x &lt; 🌙"')
    const tags = [...xml.matchAll(/<(\/?)([a-z]+)[^>]*?(\/?)>/g)]
    let depth = 0
    for (const [, closes, , closed] of tags) depth += closes ? -1 : closed ? 0 : 1
    expect(depth).to.equal(0)
  })
})
