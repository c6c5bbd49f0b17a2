/** Findings and the evidence for them: what the screens say, and the screens in a real browser. */
import type {
  DiagnosisAnswer,
  CauseReport,
  FamilyReport,
  FindingReport,
} from '@lapsus/core/questions/diagnosis'
import type { PageAnswer } from '@lapsus/core/questions/page'
import type { ScalingAnswer } from '@lapsus/core/questions/scaling'
import type { RosterRow } from '@lapsus/core/questions/roster'
import { expect } from 'chai'
import { nightRecords } from '../../core/test/support/night.ts'
import { bytesOf } from '../../core/test/support/takes.ts'
import { until } from '../../server/test/support.ts'
import { sectionsOf } from '../src/findings/sections.ts'
import { excessByPath, matchPaths, sumsByPath } from '../src/sights/frame/compare.ts'
import { ROSTER_SORTS, rosterCsv, rosterLines, verdictOf } from '../src/sights/roster/roster-rows.ts'
import { scalingWords } from '../src/sights/scaling/scaling-words.ts'
import { causeLine, familyWords } from '../src/sights/spikes/spike-words.ts'
import { LEDGER_ROW, useScreen } from './support.ts'

describe('sections of findings', () => {
  const finding = (id: string, more: Partial<FindingReport> = {}) =>
    ({ id, trouble: 'floor', small: false, ...more }) as FindingReport

  it('fold away what is small and what is marked, and say which mark', () => {
    const mark = { finding: 'c', mark: 'known' as const, reason: 'later', at: '2026-01-01T00:00:00Z' }
    const { floor, spike, small, marked } = sectionsOf({
      findings: [
        finding('a'),
        finding('b', { trouble: 'spike' }),
        finding('c'),
        finding('d', { small: true }),
      ],
      marks: [mark],
    } as DiagnosisAnswer)
    expect([floor, spike, small, marked].map((list) => list.map(({ id }) => id))).to.deep.equal([
      ['a'],
      ['b'],
      ['d'],
      ['c'],
    ])
    expect(marked[0]!.mark).to.equal(mark)
  })
})

describe('words about spikes', () => {
  const cause: CauseReport = {
    pathId: 1,
    path: ['sim', 'route.plan'],
    excessMs: 12,
    selfMs: 12.5,
    usualMs: 0.5,
    calls: 214,
    usualCalls: 3,
    why: 'more-calls',
  }

  it('say what was more than usual', () => {
    expect(causeLine(cause)).to.equal('route.plan ran 214 times for 12.5 ms, usually 3: +12.0 ms')
    expect(causeLine({ ...cause, usualCalls: 0, calls: 1 })).to.equal(
      'route.plan ran 1 time for 12.5 ms, usually not at all: +12.0 ms',
    )
    expect(causeLine({ ...cause, why: 'slower-calls' })).to.equal(
      'route.plan took 12.5 ms, usually 0.500 ms: +12.0 ms',
    )
    expect(causeLine({ ...cause, why: 'waiting' })).to.equal(
      'route.plan waited 12.5 ms, usually 0.500 ms: +12.0 ms',
    )
    expect(causeLine({ ...cause, why: 'slower-calls', path: [], pathId: null })).to.contain(
      'time outside any marker',
    )
  })

  it('say when a family comes, and how likely that is by accident', () => {
    const family: FamilyReport = {
      spikes: 4,
      held: false,
      meanExcessMs: 12,
      causes: [cause],
      finding: null,
      period: null,
      moment: null,
    }
    expect(familyWords(family)).to.equal('at no moment or period that is known')
    expect(familyWords({ ...family, period: { ms: 6670, spreadMs: 12 } })).to.equal('every 6.67 s ± 0.0120')
    const moment = { name: 'gate', members: 4, times: 5, lift: 101, chance: 1e-9 }
    expect(familyWords({ ...family, moment })).to.equal(
      '4 of 4 right after “gate” (5 times), 101 × as often as elsewhere; by chance less than one in a million',
    )
  })
})

describe('rows of the roster', () => {
  const row = (name: string, more: Partial<RosterRow> = {}): RosterRow => ({
    ...{ sort: 'marker', name, group: 'sim', marker: 0, path: 0, instances: null, enabled: null },
    ...{ unseen: null, far: null, asleep: null, everyFrames: 1, everyMs: null, phase: 0 },
    ...{ runsPerSecond: 60, msPerFrame: 1, msPerHour: 216_000, needless: null, watches: [] },
    ...more,
  })
  const rows = [
    row('belts', { msPerFrame: 3 }),
    row('text', { group: 'board', watches: [{ name: 'tally', looksPerSecond: 60, changesPerSecond: 2 }] }),
    row('moth', {
      sort: 'updater',
      asleep: 0.5,
      unseen: 0.1,
      far: 0,
      instances: 150,
      enabled: 150,
      needless: 0.49,
    }),
  ]

  it('are found, sorted and grouped', () => {
    const names = (options: Parameters<typeof rosterLines>[1]) =>
      rosterLines(rows, options).map(({ group, rows: own }) => [group, own.map(({ name }) => name)])
    expect(names({ search: '', sort: 'frame', grouped: false })).to.deep.equal([
      [null, ['belts', 'text', 'moth']],
    ])
    expect(names({ search: '', sort: 'idle', grouped: false })).to.deep.equal([
      [null, ['moth', 'belts', 'text']],
    ])
    expect(names({ search: '', sort: 'verdict', grouped: false })).to.deep.equal([
      [null, ['text', 'moth', 'belts']],
    ])
    for (const sort of ROSTER_SORTS)
      expect(names({ search: '', sort, grouped: false })[0]![1]).to.have.length(3)
    expect(names({ search: 'BOARD', sort: 'name', grouped: false })).to.deep.equal([[null, ['text']]])
    expect(names({ search: '', sort: 'frame', grouped: true })).to.deep.equal([
      ['sim', ['belts', 'moth']],
      ['board', ['text']],
    ])
  })

  it('answer whether they need to run', () => {
    expect(rows.map(verdictOf)).to.deep.equal(['', 'only when it changes', 'not in 49 % of its runs'])
    expect(verdictOf(row('x', { needless: 0.95 }))).to.equal('hardly ever')
    expect(verdictOf(row('x', { far: 0.4 }))).to.equal('not for 40 % of them')
    expect(verdictOf(row('x', { needless: 0.01 }))).to.equal('yes')
  })

  it('leave as CSV', () => {
    const lines = rosterCsv(rows).split('\r\n')
    expect(lines[0]).to.match(/^sort,name,group,instances,enabled,every frames,/)
    expect(lines[3]).to.match(/^updater,moth,sim,150,150,1,,0,60,1,216000,0\.49,0\.1,0,0\.5,,,not in 49 %/)
  })
})

describe('words about scaling', () => {
  const scaling = {
    points: [
      { load: 20, costMs: 2, frames: 10 },
      { load: 200, costMs: 9, frames: 10 },
    ],
    best: { law: 'n', baseNs: 1e6, slopeNs: 40_000, aicc: 1 },
    exponent: { value: 1, low: 0.9, high: 1.1 },
    explained: 0.95,
    breaksAt: 391.7,
    ramp: true,
    pathId: null,
  } as unknown as ScalingAnswer
  const words = (more: Partial<ScalingAnswer> = {}) =>
    scalingWords({ ...scaling, ...more }, 'work', 'letters', 16.7)

  it('say how it grows and to which load the floor holds', () => {
    expect(words()).to.equal(
      'work grows in proportion to letters: exponent 1.00, between 0.900 and 1.10. The floor holds to about 392 letters; the take has 200 at most.',
    )
    expect(words({ breaksAt: null })).to.contain('for a hundred times the loads seen')
    expect(words({ explained: 0.1 })).to.contain('explains only 10.0 %')
    expect(words({ best: null })).to.contain('A load ramp would tell')
    expect(words({ best: { ...scaling.best!, law: '1' }, exponent: null })).to.equal(
      'work does not depend on letters, between 20.0 and 200.',
    )
  })
})

describe('two frames', () => {
  it('are matched path by path, the largest difference first', () => {
    const paths = { depthOf: [0, 1, 0], laneOf: [0, 0, 1] } as unknown as Parameters<typeof matchPaths>[2]
    const page = (path: number[], durations: number[]) =>
      ({
        path: Uint32Array.from(path),
        spanDurationNs: Float64Array.from(durations),
      }) as unknown as PageAnswer
    const here = sumsByPath(page([0, 1, 1, 2], [100, 30, 40, 500]), paths)
    const there = sumsByPath(page([0, 1], [50, 45]), paths)
    expect(here.get(0)).to.deep.equal({ calls: 1, selfNs: 30 })
    expect(here.get(1)).to.deep.equal({ calls: 2, selfNs: 70 })
    expect(
      matchPaths(here, there, paths).map(({ path, differenceNs }) => [path, differenceNs]),
    ).to.deep.equal([
      [0, 25],
      [1, 25],
    ])
    expect([...excessByPath(there, here)]).to.deep.equal([
      [0, 0],
      [1, 0],
    ])
  })
})

describe('findings and their evidence', () => {
  const { page, server, open, seen, gone, textOf, untilParameter, button } = useScreen()
  const findings = () =>
    page.$$eval('[data-testid=finding]', (cards) =>
      cards.map((card) => (card as HTMLElement).dataset['kind']!),
    )
  // What a finding says grows as it is worked out: a click waits until nothing moves.
  const choose = (kind: string) => page.locator(`[data-testid=finding][data-kind=${kind}] button`).click()
  const untilFindings = () => until(async () => (await findings()).length > 2, 'findings are listed')

  before(async () => {
    const body = bytesOf(nightRecords('one-night')) as BodyInit
    expect((await fetch(`${server.address}/api/imports`, { method: 'POST', body })).status).to.equal(201)
  })

  it('lists findings, opens each at its evidence, and lets go again', async () => {
    await open('/takes/one-night')
    await untilFindings()
    expect(await findings()).to.include.members(['needless-updates', 'polling', 'spike-family'])
    await choose('needless-updates')
    await untilParameter('sight', 'roster')
    await seen('and 15.0 of these change nothing')
    await seen('not in 75 % of its runs')
    await choose('spike-family')
    await untilParameter('sight', 'spikes')
    await seen('4 of 4 right after “gate” (4 times)')
    await seen('search ran 30 times for 18.0 ms, usually not at all: +18.0 ms')
    await choose('spike-family')
    await untilParameter('finding', null)
  })

  it('lays a spike beside a usual frame, path by path', async () => {
    await open('/takes/one-night?sight=spikes')
    await seen('4 episodes')
    await page.click('[data-testid=spikes] table[aria-label=Spikes] tbody tr')
    await untilParameter('sight', null)
    await page.waitForSelector('[data-testid=compare]')
    await until(async () => (await textOf('compare')).includes('+18.0 ms'), 'the difference is listed')
    expect(await textOf('compare')).to.contain('30 × here, 0 × there')
    await page.keyboard.press('c')
    await untilParameter('beside', null)
    await seen('of all 400 frames')
  })

  it('follows the frames that are chosen', async () => {
    await open('/takes/one-night?frames=100-199&sight=spikes')
    await seen('1 episode')
    await seen('in frames 100 to 199')
    await page.keyboard.press('a')
    await seen('4 episodes')
  })

  it('marks a finding for the whole game, with a reason, and takes that back', async () => {
    await open('/takes/one-night')
    await untilFindings()
    await choose('polling')
    await button('Mark…').click()
    await page.type('input[aria-label=Reason]', 'the board is drawn anew soon')
    await button('Mark in all takes').click()
    await seen('1 finding marked as known or no problem')
    await open('/takes/one-night')
    await seen('1 finding marked as known or no problem')
    await page.$$eval('details > summary', (heads) => (heads[0] as HTMLElement).click())
    await choose('polling')
    await seen('marked as known: the board is drawn anew soon')
    await button('Unmark').click()
    await gone('marked as known or no problem')
  })

  it('folds the findings away, and remembers that', async () => {
    await open('/takes/one-night')
    await untilFindings()
    await page.keyboard.press('f')
    await until(async () => (await findings()).length === 0, 'they are folded')
    await open('/takes/one-night')
    await until(async () => (await page.$('[aria-label^="Show the findings"]')) !== null, 'still folded')
    await page.keyboard.press('f')
    await untilFindings()
  })

  it('goes from view to view by keyboard, each restored by its address', async () => {
    await open('/takes/one-night')
    for (const [key, sight, words] of [
      ['4', 'memory', 'Who allocates'],
      ['5', 'roster', 'does this need to run'],
      ['6', 'scaling', 'the work of a frame grows in proportion to load'],
      ['7', 'waiting', 'What is waited for'],
      ['2', 'ledger', 'of all 400 frames'],
    ] as const) {
      await page.keyboard.press(key)
      await untilParameter('sight', sight)
      await seen(words)
    }
    await open('/takes/one-night?sight=memory')
    await seen('steadily')
  })

  it('sums up spikes, typical frames and their difference in the ledger, and shows one path’s course', async () => {
    await open('/takes/one-night?sight=ledger&scope=difference')
    const first = async () => {
      const rows = await page.$$eval(`${LEDGER_ROW} td:first-child`, (cells) =>
        cells.map((cell) => (cell as HTMLElement).innerText.trim()),
      )
      return rows.slice(0, 3).join()
    }
    await until(async () => (await first()).includes('search'), 'what spikes have more comes first')
    await page.evaluate(
      (rows) =>
        [...document.querySelectorAll<HTMLElement>(rows)]
          .find((row) => row.innerText.includes('search'))!
          .click(),
      LEDGER_ROW,
    )
    await until(async () => (await page.$('[data-testid=course-card]')) !== null, 'its course')
    await until(async () => (await textOf('course-card')).includes('120 runs'), 'its runs')
    expect(await textOf('course-card')).to.match(/peaks in frame\s+(60|160|260|360)/)
    await page.keyboard.press('b')
    await page.keyboard.press('b')
    await page.keyboard.press('b')
    await untilParameter('by', 'lane')
    await page.keyboard.press('b')
    await untilParameter('by', 'caller')
    await seen('(nothing: outermost)')
  })

  it('says so where there is nothing wrong, and nothing to plot', async () => {
    await open('/takes/one-night?target=20&sight=spikes')
    await seen('No frame sticks out')
    await open('/takes/one-night?frames=5-5&sight=scaling')
    await seen('The load hardly varies here')
  })
})
