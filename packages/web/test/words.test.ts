/** What the screens say in words. */
import type { PageAnswer } from '@lapsus/core/questions/page'
import { expect } from 'chai'
import type { TakeDetail, TakeSummary } from '@lapsus/api'
import { emptyFrames, PathTable } from '@lapsus/core/take'
import { agentWords } from '../src/access/agent-words.ts'
import { conditionRows, conditionWords, tellApart } from '../src/format/conditions.ts'
import { gaugeValue } from '@lapsus/core/words'
import type { PageBox } from '../src/sights/frame/layout.ts'
import { runWords } from '../src/sights/frame/run-words.ts'
import { sampleWords } from '../src/sights/frame/sample-words.ts'
import { firstSince } from '../src/state/live.ts'
import { takeWithoutRecorder, type OpenTake } from '../src/state/take.ts'

const RECORDER = { spanNs: 100, insideNs: 40, clockReadNs: 30, clockResolutionNs: 100_000 }

function open(): OpenTake {
  const marker = (id: number, name: string, kind: string, tags: string[] = []) => ({
    ...{ id, name, kind, tags, watches: [], group: '', groupId: 0, at: null },
  })
  const markers = [
    marker(0, 'sim', 'work'),
    marker(1, 'join', 'wait:job'),
    marker(2, 'route.job', 'work'),
    marker(3, 'collection (suspected)', 'collect', ['suspected']),
  ] as TakeDetail['markers']
  const paths = new PathTable()
  for (const declared of markers) paths.child(-1, 0, declared)
  const frames = emptyFrames(2)
  frames.workNs.set([5000, 90])
  frames.durationNs.set([6000, 6000])
  frames.mainSpans.set([10, 10])
  frames.steps.set([2, 0])
  frames.takenNs.set([4_560_000, 60_000])
  const detail = {
    markers,
    lanes: [
      { id: 0, name: 'main' },
      { id: 1, name: 'worker 1' },
    ],
    gauges: [
      { id: 0, name: 'heap', unit: 'bytes' },
      { id: 1, name: 'letters', unit: '' },
    ],
    watches: [{ id: 0, name: 'tally' }],
    classes: [{ id: 0, name: 'moth', marker: 0 }],
    conditions: { recorder: RECORDER },
  } as unknown as TakeDetail
  return { detail, frames, paths, markers: new Map(markers.map((declared) => [declared.id, declared])) }
}

const page = (fields: Partial<PageAnswer>): PageAnswer => ({
  frame: 0,
  startNs: 0,
  durationNs: 6000,
  path: Uint32Array.of(0, 1, 3),
  spanStartNs: new Float64Array(3),
  spanDurationNs: new Float64Array(3),
  effect: null,
  bytes: null,
  key: null,
  gauges: [],
  watches: [],
  lives: [],
  updaters: [],
  jobs: [],
  ...fields,
})
const box = (span: number, kind: string, totalNs = 1e6) =>
  ({ span, path: [0, 1, 3][span]!, kind, totalNs }) as PageBox

describe('words about a run', () => {
  const take = open()

  it('say its effect and bytes, or its question and answer', () => {
    expect(runWords(take, page({ effect: Uint8Array.of(1, 0, 0) }), box(0, 'work'))).to.deep.equal([
      'changed nothing: needless',
    ])
    expect(
      runWords(
        take,
        page({ effect: Uint8Array.of(2, 0, 0), bytes: Float64Array.of(1200, 0, 0) }),
        box(0, 'work'),
      ),
    ).to.deep.equal(['changed something', '1.20 kB allocated'])
    expect(runWords(take, page({ bytes: Float64Array.of(-1, 0, 0) }), box(0, 'work'))).to.deep.equal([
      'bytes unknown: a collection ran inside',
    ])
    for (const [effect, words] of [
      [0, 'asked about 9'],
      [1, 'asked about 9: no'],
      [2, 'asked about 9: yes'],
    ] as const) {
      const asked = page({ key: Uint32Array.of(9, 0, 0), effect: Uint8Array.of(effect, 0, 0) })
      expect(runWords(take, asked, box(0, 'work'))).to.deep.equal([words])
    }
  })

  it('say which job a wait was for, where it ran, and how long', () => {
    const job = {
      id: 77,
      marker: 2,
      dispatched: { lane: 0, atNs: 0 },
      begun: { lane: 1, atNs: 2e6 },
      ended: { lane: 1, atNs: 5e6 },
    }
    const waited = page({ key: Uint32Array.of(0, 77, 0), jobs: [job] })
    expect(runWords(take, waited, box(1, 'wait:job'))).to.deep.equal([
      'waited for route.job on worker 1',
      'begun 2.00 ms after it was dispatched',
      'ran 3.00 ms',
    ])
    const unknown = page({ key: Uint32Array.of(0, 77, 0) })
    expect(runWords(take, unknown, box(1, 'wait:job'))).to.deep.equal([])
    const unfinished = page({ key: Uint32Array.of(0, 77, 0), jobs: [{ ...job, begun: null, ended: null }] })
    expect(runWords(take, unfinished, box(1, 'wait:job'))).to.deep.equal(['waited for route.job'])
  })

  it('warn of what the clock cannot tell, and of what is only suspected', () => {
    expect(runWords(take, page({}), box(0, 'work', 50_000))).to.deep.equal([
      'shorter than the clock’s step of 100 µs: unreliable by itself',
    ])
    expect(runWords(take, page({}), box(2, 'collect', 0))[0]).to.match(/^suspected/)
  })
})

describe('words about a frame', () => {
  it('give gauges in their units, looks, lives, updaters and steps', () => {
    const words = sampleWords(
      open(),
      page({
        gauges: [
          { gauge: 0, value: 58_600_000 },
          { gauge: 1, value: 240 },
          { gauge: 9, value: 1 },
        ],
        watches: [{ watch: 0, looks: 4, changes: 1 }],
        lives: [{ class: 0, born: 3, died: 2, bytes: 480 }],
        updaters: [{ class: 0, instances: 150, enabled: 60, unseen: 0, far: 7, asleep: 90, everyMs: 200 }],
      }),
    )
    expect(words.map(({ text }) => text)).to.deep.equal([
      'heap 58.6 MB',
      'letters 240',
      'number 9 1.00',
      'tally looked at 4 ×, changed 1 ×',
      'moth +3 −2',
      'moth: 150 updaters, 60 enabled, 7 of them far, 90 of them asleep',
      '2 fixed steps',
      '4.56 ms taken by the system',
    ])
    expect(words[5]!.about).to.contain('every 200 ms on average')
    expect(sampleWords(open(), page({ frame: 1 }))).to.deep.equal([])
  })

  it('give values in units', () => {
    expect(gaugeValue(1500, 'bytes')).to.equal('1.50 kB')
    expect(gaugeValue(3, 'letters')).to.equal('3.00 letters')
  })
})

describe('words about conditions', () => {
  const take = {
    started: '2026-01-02T03:04:05Z',
    target: 59.94,
    dropped: 2,
    repaired: 0,
    conditions: {
      version: '2.1',
      build: 'debug',
      mode: 'bytes',
      seed: 0,
      recorder: { ...RECORDER, heapReadNs: 300 },
      more: { flaws: 'none' },
    },
  } as unknown as TakeSummary

  it('name everything that is known, and nothing that is not', () => {
    const rows = Object.fromEntries(conditionRows(take))
    expect(rows).to.include({
      target: '59.94 frames a second, 16.7 ms',
      version: '2.1',
      build: 'debug',
      seed: '0',
      flaws: 'none',
      mode: 'bytes: times are inflated by the heap reads',
      'a span costs': '100 ns',
      'a heap read costs': '300 ns',
      'frames left out': '2',
    })
    expect(rows).not.to.have.any.keys('device', 'scene', 'calls repaired')
    expect(conditionWords(take)).to.include('debug').and.to.include('2 frames left out by the recorder')
  })
})

describe('takes', () => {
  it('lose the recorder’s share of each frame, never more than there is', () => {
    const { frames } = takeWithoutRecorder(open())
    expect([...frames.workNs]).to.deep.equal([4000, 0])
    expect([...frames.durationNs]).to.deep.equal([5000, 5000])
    const silent = open()
    silent.detail.conditions = {}
    expect(takeWithoutRecorder(silent)).to.equal(silent)
  })

  it('give the first frame of their last seconds', () => {
    const startNs = Float64Array.from({ length: 100 }, (_, i) => i * 1e8)
    expect(firstSince(startNs, 1)).to.equal(89)
    expect(firstSince(startNs, 100)).to.equal(0)
    expect(firstSince(startNs, 0)).to.equal(99)
    expect(firstSince(new Float64Array(0), 5)).to.equal(0)
  })
})

describe('takes among others', () => {
  it('are told apart by name, time, and what is not alike', () => {
    const take = (id: string, name: string, build: string, seed: number) =>
      ({
        id,
        name,
        started: '2026-01-02T03:04:05.000Z',
        dropped: 0,
        repaired: 0,
        conditions: { build, scene: 'attic', seed },
      }) as unknown as TakeSummary
    const takes = [take('a', 'Monday', 'old', 1), take('b', '', 'new', 1)]
    expect(takes.map(tellApart(takes))).to.deep.equal([
      'Monday, 2 Jan 2026, 03:04, old',
      'without a name, 2 Jan 2026, 03:04, new',
    ])
    expect(tellApart([takes[0]!])(takes[0]!)).to.equal('Monday, 2 Jan 2026, 03:04, old, attic, seed 1')
    expect(tellApart([])(takes[0]!)).to.contain('Monday')
  })
})

describe('what a browser says of itself', () => {
  it('is its name and what it runs on, in short', () => {
    const told = [
      [
        'Mozilla/5.0 (X11; Linux x86_64) Kit/537.36 (KHTML, like others) Walk/156.0.0.0 Safari/537.36',
        'Walk 156 on Linux x86_64',
      ],
      ['Mozilla/5.0 (Handset; x) Walk/7.1', 'Walk 7 on Handset'],
      ['fetcher/2', 'fetcher 2'],
      ['no version at all', 'no version at all'],
      ['', 'A program'],
    ] as const
    for (const [agent, words] of told) expect(agentWords(agent), agent).to.equal(words)
  })
})
