/** Reports to give away: what is in them, and that nothing in a take becomes markup. */
import { expect } from 'chai'
import { historyOf, type HistoryTake } from '@lapsus/core/history'
import { baseOf, emptyPlan } from '@lapsus/core/remedy'
import {
  reportOfComparison,
  reportOfHistory,
  reportOfPlan,
  reportOfTake,
  writeReport,
  type Report,
} from '@lapsus/core/report'
import type { Study } from '@lapsus/core/study'
import { item } from './support/plans.ts'
import { sourceOfStudy } from './support/source.ts'
import { randomFrom, run, studyFrom, type TestFrame, type TestGame } from './support/studies.ts'

const MS = 1e6
const HOSTILE = '<script>alert(1)</script>"&\u0000'

function night(seed: number, seekMs: number, { name = 'seek', count = 240, conditions = {} } = {}): Study {
  const random = randomFrom(seed)
  const ns = (ms: number) => Math.round(ms * MS * (0.97 + 0.06 * random()))
  const frames = Array.from({ length: count }, (_, i): TestFrame => ({
    runs: [
      run('sim', ns(1), {
        children: [run(name, ns(i === 100 ? 30 : seekMs)), run('belt', ns(1)), run('mail', ns(0.5))],
      }),
      run('draw', ns(2)),
    ],
  }))
  const game: TestGame = { conditions }
  return studyFrom(frames, game)
}

const TITLE = { game: 'Moth House', name: 'rainy evening', started: '2026-01-02T03:04:05.000Z' }

/** It needs nothing else, and every element that begins ends. */
function isWhole(html: string): void {
  expect(html).to.match(/^<!doctype html>/)
  expect(html.replaceAll('xmlns="http://www.w3.org/2000/svg"', '')).not.to.match(
    /https?:|src=|href=|url\(|<script|<link|@import/i,
  )
  const open: string[] = []
  for (const [, slash, tag, closed] of html.matchAll(/<(\/?)([a-z][\w]*)[^>]*?(\/?)>/gi)) {
    if (closed === '/' || tag === 'meta' || tag === 'rect' || tag === 'line') continue
    if (slash === '') open.push(tag!)
    else expect(open.pop()).to.equal(tag)
  }
  expect(open).to.deep.equal([])
}

const both = (report: Report) => ({ html: writeReport(report, 'html'), md: writeReport(report, 'md') })

describe('a report of a take', () => {
  it('tells what it spends, what is wrong, its worst frames, its ledger and its circumstances', async () => {
    const study = night(1, 2, { conditions: { device: 'desk', seed: 7, more: { flaws: 'none' } } })
    const { html, md } = both(await reportOfTake(sourceOfStudy(study), TITLE))
    isWhole(html)
    expect(html).to.contain('<h1>Moth House: rainy evening</h1>')
    expect(html).to.contain('1 frame of 240 (0.417 %) go through the floor')
    for (const heading of ['Findings', 'Where the time goes', 'Circumstances'])
      expect(md).to.contain(`## ${heading}`)
    expect(md).to.match(/\| sim › seek \| 2\.\d+ \| 2\.\d+ \|/)
    expect(md).to.contain('| device | desk |')
    expect(md).to.contain('| flaws | none |')
  })

  it('shows the worst frames as pages, with names where there is room', async () => {
    const study = night(1, 2)
    const source = sourceOfStudy(study)
    const spans = {
      frameEnd: Uint32Array.of(3),
      path: Uint32Array.of(0, 1, 4),
      startNs: Float64Array.of(0, MS, 32 * MS),
      durationNs: Float64Array.of(32 * MS, 30 * MS, 2 * MS),
    }
    const frame = async () => ({
      ...{ frames: { startNs: Float64Array.of(0) }, within: 0, spans, details: null },
      ...{ samples: {}, jobs: async () => [] },
    })
    const { html } = both(await reportOfTake({ ...source, frame: frame as never }, TITLE))
    isWhole(html)
    expect(html).to.match(/Frame 100: 3[345]\.\d ms of work/)
    expect(html).to.match(/<text[^>]*>seek<\/text>/)
  })

  it('has words for a take without frames', async () => {
    const { md } = both(await reportOfTake(sourceOfStudy(studyFrom([])), { ...TITLE, name: '' }))
    expect(md).to.contain('# Moth House\n')
    expect(md).to.contain('**The take has no frames.**')
  })

  it('lets no name become markup', async () => {
    const study = night(1, 2, {
      name: HOSTILE,
      conditions: { device: HOSTILE, more: { '<b>': '![x](http://evil)' } },
    })
    const { html, md } = both(await reportOfTake(sourceOfStudy(study), { ...TITLE, name: HOSTILE }))
    expect(html).not.to.contain('<script>')
    expect(html).to.contain('&lt;script&gt;alert(1)&lt;/script&gt;&quot;&amp;')
    expect(html).not.to.contain('\u0000')
    expect(md.split('\n')[0]).to.equal('# Moth House: \\<script\\>alert(1)\\</script\\>"\\&\ufffd')
  })

  it('stays small whatever there is', async () => {
    const frames = Array.from({ length: 400 }, (_, i): TestFrame => ({
      runs: [
        run('sim', MS, {
          children: Array.from({ length: 25 }, (__, at) => run(`part ${i * 25 + at}`, 10_000)),
        }),
      ],
    }))
    const { html } = both(await reportOfTake(sourceOfStudy(studyFrom(frames)), TITLE))
    expect(html.length).to.be.below(500_000)
    expect(html).to.contain('more paths')
  })
})

describe('reports of more than a take', () => {
  it('tell a comparison: one sentence, two strips, bars about zero', () => {
    const side = (seed: number, seekMs: number) => [{ title: TITLE, study: night(seed, seekMs) }]
    const { html, md } = both(reportOfComparison(side(1, 2), side(2, 1)))
    isWhole(html)
    expect(md).to.match(/\*\*\d\.\d+ ms a frame better, surely; seek is /)
    expect((html.match(/<svg/g) ?? []).length).to.equal(3)
    expect(md).to.match(/\| sim › seek \| 2\.\d+ ms \| [01]\.\d+ ms \| −(1\.|0\.9)\d+ ms \|/)
    expect(() => reportOfComparison(side(1, 2), [{ title: TITLE, study: studyFrom([]) }])).to.throw(
      RangeError,
    )
  })

  it('tell a plan, with its proof once there is one', () => {
    const base = baseOf(night(1, 2))
    const plan = {
      ...emptyPlan('spring'),
      items: [
        item('drop', ['sim', 'seek']),
        item('drop', ['gone']),
        item('drop', ['draw'], {}, { state: 'dropped', reason: 'ugly' }),
      ],
    }
    const { html, md } = both(reportOfPlan(base, plan, TITLE, []))
    isWhole(html)
    expect(md).to.contain('| 1. drop: sim › seek | 2.')
    expect(md).to.contain('nothing: the take has no path gone')
    expect(md).to.contain('dropped: ugly')
    expect(md).not.to.contain('## Proof')
    const proved = both(reportOfPlan(base, plan, TITLE, [night(2, 0.1)]))
    isWhole(proved.html)
    expect(proved.md).to.match(/## Proof\n\n\*\*The fix brought/)
  })

  it('tell a history, with the course of what changed', () => {
    const takes = Array.from({ length: 12 }, (_, i): HistoryTake => {
      const seekMs = i >= 6 ? 3 : 1
      const path = (name: string, msPerFrame: number) => ({
        ...{ path: ['sim', name], lane: 'main', msPerFrame, callsPerFrame: 1, bytesPerFrame: null },
      })
      const paths = [path('seek', seekMs + i / 1000), path('belt', 1), path('mail', 1), path('draw', 2)]
      return {
        ...{ id: `t${i}`, name: `night ${i}`, started: `2026-01-${10 + i}T00:00:00.000Z`, target: 60 },
        conditions: { version: `1.${Math.floor(i / 3)}` },
        groupBudgets: {},
        sums: {
          ...{
            frames: 1,
            seconds: 1,
            meanMs: 4 + seekMs,
            p50Ms: 1,
            p95Ms: 1,
            p99Ms: 1,
            overShare: [0, 0, 0, 0, 0],
          },
          ...{
            lateShare: 0,
            collectionsPer1000: 0,
            bytesPerFrame: null,
            heapBytes: null,
            loads: [],
            paths,
            groups: [],
          },
        },
      }
    })
    const { html, md } = both(reportOfHistory('Moth House', historyOf(takes)))
    isWhole(html)
    expect(md).to.contain('seek: 2.01 ms a frame more since 1.2')
    expect((html.match(/<circle/g) ?? []).length).to.equal(24)
    expect(both(reportOfHistory('Moth House', [])).md).to.contain('There is no take with frames')
  })
})
