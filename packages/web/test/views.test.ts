/** The pure parts of the views: layout, lines, addresses, numbers. */
import { entryOf, type LedgerAnswer } from '@lapsus/core/questions/ledger'
import type { PageAnswer } from '@lapsus/core/questions/page'
import { expect } from 'chai'
import fc from 'fast-check'
import type { TakeDetail } from '@lapsus/api'
import { coursesOf, ledgerRows, rollupOf } from '@lapsus/core/rollup'
import { Digester } from '@lapsus/core/take'
import { chunkRecord, declareRecord, node, type FrameSpec } from '../../core/test/support/takes.ts'
import { bytes, duration, ms, percent, plain, three } from '@lapsus/core/words'
import { inUnit, callersOf, ledgerCsv, ledgerLines, outsideMs } from '../src/sights/ledger/rows.ts'
import { boxAt, fitScale, HEAD, layoutPage, scaleTo, THIN } from '../src/sights/frame/layout.ts'
import type { OpenTake } from '../src/state/take.ts'
import { SIGHT_NAMES } from '../src/lists/sight-names.ts'
import { GROUPINGS, FIRST_VIEW, viewFromParams, viewToParams, type View } from '../src/state/view.ts'
import { frameAtX, pan, reveal, xOfFrame, zoom } from '../src/strip/geometry.ts'

const MS = 1_000_000
const MARKERS = [
  { name: 'sim', group: 'simulation' },
  { name: 'moths', group: 'simulation' },
  { name: 'moth', group: 'moths, all' },
  { name: 'wait', kind: 'wait:refresh' as const },
]

const FRAME: FrameSpec = {
  lanes: [
    [
      node(0, 1 * MS, [
        node(
          1,
          0,
          Array.from({ length: 100 }, () => node(2, 0.04 * MS)),
        ),
        node(1, 3 * MS),
      ]),
      node(3, 8 * MS),
    ],
    [node(1, 2 * MS)],
  ],
  restNs: 0,
}

function open(frames: FrameSpec[]) {
  const digester = new Digester()
  digester.declare(declareRecord(1, MARKERS, ['main', 'worker 1']))
  const chunk = digester.digest(chunkRecord(2, frames))
  const { declarations, paths } = digester.progress
  const take = {
    detail: {
      lanes: [...declarations.lanes.values()],
      markers: [...declarations.markers.values()],
    } as unknown as TakeDetail,
    frames: chunk.frames,
    paths,
    markers: declarations.markers,
  } as OpenTake
  const page: PageAnswer = {
    frame: 0,
    startNs: 0,
    durationNs: chunk.frames.durationNs[0]!,
    path: chunk.spans.path.slice(0, chunk.spans.frameEnd[0]),
    spanStartNs: chunk.spans.startNs.slice(0, chunk.spans.frameEnd[0]),
    spanDurationNs: chunk.spans.durationNs.slice(0, chunk.spans.frameEnd[0]),
    effect: null,
    bytes: null,
    key: null,
    gauges: [],
    watches: [],
    lives: [],
    updaters: [],
    jobs: [],
  }
  const rollup = rollupOf(coursesOf(chunk, paths), paths, 0)
  const ledger = (by: 'path' | 'marker' | 'group'): LedgerAnswer => ({
    from: 0,
    to: frames.length - 1,
    by,
    scope: 'chosen',
    frames: 1,
    durationMs: null,
    target: 60,
    version: 1,
    withoutRecorder: false,
    rows: ledgerRows(rollup, by).map(entryOf),
  })
  return { take, page, ledger }
}

describe('page layout', () => {
  const { take, page } = open([FRAME])
  const name = (path: number) => take.markers.get(take.paths.get(path).marker)!.name
  const scale = fitScale(page, 1000 / 60, 600)
  const layout = layoutPage(page, take, scale, 800, 600)

  it('puts time downward, lanes side by side, nesting to the right', () => {
    expect(layout.lanes.map((lane) => lane.name)).to.deep.equal(['main', 'worker 1'])
    const [main, worker] = layout.lanes
    expect(worker!.x).to.be.at.least(main!.x + main!.width)
    const sim = layout.boxes.find((box) => name(box.path) === 'sim')!
    const wait = layout.boxes.find((box) => name(box.path) === 'wait')!
    const moths = layout.boxes.filter((box) => name(box.path) === 'moths' && box.lane === 0)
    expect(sim.y).to.be.closeTo(HEAD, 1)
    expect(wait.y).to.be.closeTo(sim.y + sim.height, 1)
    expect(wait.height).to.be.closeTo((8 * MS) / scale.nsPerPx, 1)
    for (const box of moths) expect(box.x).to.be.greaterThan(sim.x)
    // A leaf uses the rest of its lane's width.
    expect(wait.x + wait.width).to.be.closeTo(main!.x + main!.width, 1)
  })

  it('gathers thin runs into one block that says how many and what is in it', () => {
    const gathered = layout.boxes.filter((box) => box.runs > 1)
    expect(gathered).to.have.length(1)
    expect(gathered[0]).to.include({ runs: 100, alike: true, totalNs: 4 * MS, selfNs: 4 * MS })
    expect(name(gathered[0]!.path)).to.equal('moth')
  })

  it('opens the gathered runs when looked at closely', () => {
    const near = layoutPage(page, take, scaleTo(1 * MS, 1.2 * MS, 600), 800, 600)
    const moths = near.boxes.filter((box) => name(box.path) === 'moth')
    expect(moths.length).to.be.within(5, 8)
    for (const box of moths) {
      expect(box.runs).to.equal(1)
      expect(box.height).to.be.greaterThan(THIN)
    }
  })

  it('keeps every run in sight in exactly one block or inside a gathered or thin one', () => {
    const shown = layout.boxes.filter((box) => box.lane === 0).reduce((sum, box) => sum + box.selfNs, 0)
    expect(shown).to.equal(16 * MS)
  })

  it('finds the innermost block at a place', () => {
    const gathered = layout.boxes.find((box) => box.runs > 1)!
    expect(boxAt(layout, gathered.x + 5, gathered.y + 5)).to.equal(gathered)
    expect(boxAt(layout, 2, 300)).to.equal(null)
  })

  it('shows a frame without spans as an empty main lane', () => {
    const bare = open([{ lanes: [[]], restNs: 5 * MS }])
    const empty = layoutPage(bare.page, bare.take, fitScale(bare.page, 16, 600), 800, 600)
    expect(empty.boxes).to.have.length(0)
    expect(empty.lanes.map(({ name }) => name)).to.deep.equal(['main'])
  })
})

describe('ledger lines', () => {
  const { take, ledger } = open([FRAME, FRAME])
  const names = (options: { sort?: View['sort']; search?: string }, closed: number[] = []) =>
    ledgerLines(
      ledger('path'),
      take,
      { by: 'path', sort: 'total', search: '', ...options },
      new Set(closed),
    ).map(({ name, indent }) => `${' '.repeat(indent)}${name}`)

  it('form a tree, brothers in the order asked for', () => {
    expect(names({})).to.deep.equal(['sim', ' moths', '  moth', 'wait', 'moths'])
    expect(names({ sort: 'self' })).to.deep.equal(['wait', 'moths', 'sim', ' moths', '  moth'])
    expect(names({ sort: 'name' })).to.deep.equal(['moths', 'sim', ' moths', '  moth', 'wait'])
  })

  it('leave what no marker stands for: with it the main lane’s lines are the frames', () => {
    const rows = [
      { key: 0, selfMs: 60 },
      { key: 1, selfMs: 25 },
      // Of another lane.
      { key: 2, selfMs: 500 },
    ]
    const laneOf = (key: number) => (key === 2 ? 1 : 0)
    expect(outsideMs(rows, { frames: 10, durationMs: 100 }, laneOf)).to.be.closeTo(1.5, 1e-9)
    expect(outsideMs(rows, { frames: 10, durationMs: 80 }, laneOf)).to.equal(0)
    expect(outsideMs([], { frames: 4, durationMs: 80 }, laneOf)).to.equal(20)
  })

  it('fold, and unfold for a search, which keeps what leads to a match', () => {
    const sim = take.paths.all.find(
      ({ parent, lane, marker }) => parent === -1 && lane === 0 && marker === 0,
    )!.id
    expect(names({}, [sim])).to.deep.equal(['sim', 'wait', 'moths'])
    expect(names({ search: 'MOTH' }, [sim])).to.deep.equal(['sim', ' moths', '  moth', 'moths'])
    expect(names({ search: 'nothing' })).to.deep.equal([])
  })

  it('can be per marker and per group, lanes apart', () => {
    const lines = (by: 'marker' | 'group') =>
      ledgerLines(ledger(by), take, { by, sort: 'total', search: '' }, new Set())
    expect(lines('marker').map(({ name, lane }) => `${name} ${lane}`)).to.deep.equal([
      'sim main',
      'wait main',
      'moths main',
      'moth main',
      'moths worker 1',
    ])
    expect(lines('group').map(({ name }) => name)).to.deep.equal([
      'simulation',
      '(no group)',
      'moths, all',
      'simulation',
    ])
    expect(lines('marker')[1]).to.include({ waits: true })
  })

  it('can be gathered by lane and by caller, sums without percentiles', () => {
    const rows = (by: 'lane' | 'caller') =>
      ledgerLines(
        ledger(by === 'lane' ? 'group' : 'path'),
        take,
        { by, sort: 'total', search: '' },
        new Set(),
      )
    const marker = ledger('marker').rows
    const ofLane = (lane: string) =>
      ledgerLines(ledger('marker'), take, { by: 'marker', sort: 'total', search: '' }, new Set())
        .filter((line) => line.lane === lane)
        .reduce((sum, { row }) => sum + row.selfMs, 0)
    expect(rows('lane').map(({ name }) => name)).to.deep.equal(['main', 'worker 1'])
    for (const { name, row } of rows('lane')) {
      expect(row.selfMs, name).to.be.closeTo(ofLane(name), 1e-9)
      expect(row.selfP99Ms).to.be.NaN
    }
    expect(rows('caller').map(({ name }) => name)).to.have.members(['(nothing: outermost)', 'sim', 'moths'])
    const all = marker.reduce((sum, row) => sum + row.selfMs, 0)
    expect(rows('caller').reduce((sum, { row }) => sum + row.selfMs, 0)).to.be.closeTo(all, 1e-9)
  })

  it('tell who calls a marker', () => {
    const moths = take.detail.markers.find(({ name }) => name === 'moths')!.id
    const callers = callersOf(ledger('path').rows, moths, take)
    expect(callers.map(({ key }) => take.markers.get(key)?.name ?? 'nothing')).to.have.members([
      'sim',
      'nothing',
    ])
  })

  it('come in each unit', () => {
    const scope = { frames: 10, durationMs: 200, budgetMs: 16 }
    expect(inUnit(40, 'frame', scope)).to.equal(4)
    expect(inUnit(40, 'second', scope)).to.equal(200)
    expect(inUnit(40, 'share', scope)).to.equal(0.25)
  })

  it('leave as CSV with quotes where they are needed', () => {
    const csv = ledgerCsv(
      ledgerLines(ledger('group'), take, { by: 'group', sort: 'total', search: '' }, new Set()),
      take,
    ).split('\r\n')
    expect(csv[0]).to.match(
      /^path,lane,calls,frames,self ms,total ms,self p99 ms,worst self ms,worst frame,bytes,/,
    )
    expect(csv[3]).to.match(/^"moths, all",main,200,2,8,8,/)
    expect(csv.at(-1)).to.equal('')
    const paths = ledgerCsv(
      ledgerLines(ledger('path'), take, { by: 'path', sort: 'total', search: '' }, new Set()),
      take,
    )
    expect(paths).to.contain('sim > moths > moth,main')
  })
})

describe('addresses', () => {
  it('restore any view', () => {
    const view = fc.record<View>({
      frame: fc.nat(99),
      range: fc.option(
        fc.tuple(fc.nat(99), fc.nat(99)).map(([a, b]) => ({ from: Math.min(a, b), to: Math.max(a, b) })),
      ),
      target: fc.option(fc.integer({ min: 1, max: 1000 })),
      path: fc.option(fc.nat(9)),
      sight: fc.constantFrom(...SIGHT_NAMES),
      beside: fc.option(fc.nat(99)),
      finding: fc.option(fc.string()),
      scope: fc.constantFrom('chosen', 'spikes', 'typical', 'difference'),
      loads: fc.array(
        fc.nat(9).map((id) => `gauge ${id}`),
        { maxLength: 2 },
      ),
      by: fc.constantFrom(...GROUPINGS),
      unit: fc.constantFrom('frame', 'second', 'share'),
      sort: fc.constantFrom('name', 'self', 'total', 'p99', 'calls'),
      search: fc.string(),
      withoutRecorder: fc.boolean(),
      plan: fc.option(fc.uuid()),
      planned: fc.boolean(),
    })
    fc.assert(
      fc.property(view, (wanted) => {
        const params = new URLSearchParams(viewToParams(wanted).toString())
        expect(viewFromParams(params, 100, 10, 0)).to.deep.equal(wanted)
      }),
    )
  })

  it('that make no sense give the usual view', () => {
    const params = new URLSearchParams('frame=900&frames=50-20&target=-1&path=77&by=colour&unit=x&sort=y')
    expect(viewFromParams(params, 100, 10, 42)).to.deep.equal({ ...FIRST_VIEW, frame: 42 })
    expect(viewFromParams(new URLSearchParams('frames=5-500&frame=1e1'), 100, 10, 0).range).to.equal(null)
  })
})

describe('strip', () => {
  it('zooms around a frame, pans within the take, reveals a frame', () => {
    const all = { from: 0, to: 300 }
    const near = zoom(all, 150, 0.5, 300)
    expect(near).to.deep.equal({ from: 75, to: 225 })
    expect(zoom(near, 100, 100, 300)).to.deep.equal(all)
    expect(zoom(all, 10, 0.0001, 300).to).to.equal(22)
    expect(pan(near, 500, 300)).to.deep.equal({ from: 150, to: 300 })
    expect(pan(near, -500, 300)).to.deep.equal({ from: 0, to: 150 })
    expect(reveal(near, 280, 300)).to.deep.equal({ from: 150, to: 300 })
    expect(reveal(near, 80, 300)).to.equal(near)
    for (const frame of [75, 150, 224])
      expect(frameAtX(xOfFrame(frame + 0.5, near, 1280), near, 1280)).to.equal(frame)
  })
})

describe('numbers', () => {
  it('have three significant digits', () => {
    const cases: [number, string][] = [
      [0, '0'],
      [0.01234, '0.0123'],
      [0.9996, '1.00'],
      [1.234, '1.23'],
      [12.34, '12.3'],
      [99.96, '100'],
      [123.4, '123'],
      [12345.6, '12,346'],
      [-1.5, '−1.50'],
      [NaN, '–'],
    ]
    for (const [value, text] of cases) expect(three(value)).to.equal(text)
    expect(ms(16.6667)).to.equal('16.7 ms')
    expect([plain(60), plain(59.94)]).to.deep.equal(['60', '59.94'])
    expect([percent(0), percent(0.0004), percent(0.5), percent(1.5)]).to.deep.equal([
      '0 %',
      '<0.1 %',
      '50.0 %',
      '150 %',
    ])
    expect([bytes(12), bytes(4500), bytes(4.06e6)]).to.deep.equal(['12 B', '4.50 kB', '4.06 MB'])
    expect([duration(900), duration(30_400), duration(125_000)]).to.deep.equal([
      '0.900 s',
      '30.4 s',
      '2 min 5 s',
    ])
  })
})
