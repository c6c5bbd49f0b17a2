/** Watching a recording, wishes of those who watch, parts of takes, searching, and every format. */
import { readAnswer } from '@lapsus/core/questions'
import { PAGE } from '@lapsus/core/questions/page'
import { expect } from 'chai'
import { gzipSync } from 'node:zlib'
import {
  checkLive,
  type ImportResult,
  type LiveNews,
  type Problem,
  type TakeDetail,
  type TakeSummary,
} from '@lapsus/api'
import { jsonLine } from '@lapsus/core/exchange'
import { endRecord, RecordReader, type AnyRecord, type ChunkRecord } from '@lapsus/core/format'
import type { RunningServer } from '../src/index.ts'
import {
  bytesOf,
  chunkRecord,
  declareRecord,
  node,
  takeRecord,
  type FrameSpec,
} from '../../core/test/support/takes.ts'
import { richTake } from '../../core/test/support/rich-take.ts'
import { getJson, TestGame, testServer, until } from './support.ts'

const MS = 1_000_000
const frame: FrameSpec = { lanes: [[node(0, 4 * MS, [node(1, MS)])]], restNs: 5 * MS }
const FRAME_NS = 10 * MS
const declare = declareRecord(1, [{ name: 'sim' }, { name: 'ai' }])

describe('recordings that are watched', () => {
  let server: RunningServer
  before(async () => {
    server = await testServer()
  })
  after(() => server.stop())

  const live = async (take: string, from: number): Promise<LiveNews> =>
    checkLive(
      new Uint8Array(
        await (await fetch(`${server.address}/api/takes/${take}/live?from=${from}`)).arrayBuffer(),
      ),
    )
  const post = (path: string, body: unknown = {}) =>
    fetch(server.address + path, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify(body),
    })
  const chunk = (i: number): ChunkRecord => ({
    ...chunkRecord(
      i + 2,
      Array.from({ length: 10 }, () => frame),
      i * 10 * FRAME_NS,
    ),
    gauges: [{ gauge: 0, frame: Uint32Array.of(9), value: Float64Array.of(i) }],
    moments: [{ name: `bell ${i}`, atNs: i * 10 * FRAME_NS + 5, data: null }],
  })
  async function recording(take: string, chunks: number): Promise<TestGame> {
    const game = await TestGame.connect(server)
    game.send(takeRecord({ take }))
    game.send(declare)
    for (let i = 0; i < chunks; i++) game.send(chunk(i))
    await game.untilAcknowledged(chunks + 1)
    return game
  }

  it('give what is new since a frame, and nothing twice but the rest of a chunk', async () => {
    const game = await recording('watched-take-1', 3)
    const first = await live('watched-take-1', 0)
    expect(first).to.include({ state: 'recording', totalFrames: 30, firstFrame: 0, markers: 2, paths: 2 })
    expect(first.frames.startNs).to.have.length(30)
    expect(first.gauges).to.deep.equal([{ gauge: 0, value: 2 }])
    expect(first.moments.map(({ name, frame }) => [name, frame])).to.deep.equal([
      ['bell 0', 0],
      ['bell 1', 10],
      ['bell 2', 20],
    ])
    game.send(chunk(3))
    await game.untilAcknowledged(5)
    const next = await live('watched-take-1', 25)
    expect(next).to.include({ firstFrame: 20, totalFrames: 40 })
    expect(next.frames.startNs).to.have.length(20)
    const none = await live('watched-take-1', 40)
    expect([none.frames.startNs.length, none.moments.length, none.firstFrame]).to.deep.equal([0, 0, 40])
    game.send(endRecord(6, 0))
    await game.untilAcknowledged(6)
    expect((await live('watched-take-1', 40)).state).to.equal('complete')
  })

  it('pass on the wish to stop, and to keep the last seconds', async () => {
    const game = await recording('watched-take-2', 1)
    expect((await post('/api/takes/watched-take-2/keep', { cause: 'looked odd' })).status).to.equal(202)
    await until(() => game.messages.some((message) => 'order' in message), 'the first wish')
    expect((await post('/api/takes/watched-take-2/stop')).status).to.equal(202)
    await until(() => game.messages.filter((message) => 'order' in message).length === 2, 'the second wish')
    expect(game.messages.filter((message) => 'order' in message)).to.deep.equal([
      { type: 'order', order: 'keep', cause: 'looked odd' },
      { type: 'order', order: 'stop' },
    ])
    game.send(endRecord(3, 0))
    await game.untilAcknowledged(3)
    const late = await post('/api/takes/watched-take-2/stop')
    expect(late.status).to.equal(409)
    expect(((await late.json()) as Problem).detail).to.contain('not being recorded any more')
  })

  it('can be discarded: the game is told, and the take can be brought back', async () => {
    const game = await recording('watched-take-3', 2)
    expect((await post('/api/takes/watched-take-3/discard')).status).to.equal(204)
    await game.untilClosed()
    expect(game.messages.at(-1)).to.deep.equal({
      type: 'refused',
      refused: { code: 'discarded', message: 'somebody discarded the recording' },
    })
    expect((await fetch(`${server.address}/api/takes/watched-take-3`)).status).to.equal(404)
    const deleted = await getJson<TakeSummary[]>(server, '/api/deleted-takes')
    expect(deleted.map(({ id }) => id)).to.include('watched-take-3')
    await post('/api/takes/watched-take-3/restore')
    expect(await getJson<TakeDetail>(server, '/api/takes/watched-take-3')).to.include({ frames: 20 })
  })

  it('of several games at once are kept apart', async () => {
    const games = await Promise.all(Array.from({ length: 8 }, (_, i) => recording(`one-of-many-${i}`, 3 + i)))
    for (let i = 0; i < games.length; i++) {
      expect(await live(`one-of-many-${i}`, 0)).to.include({ state: 'recording', totalFrames: (3 + i) * 10 })
      games[i]!.send(endRecord(5 + i, 0))
    }
    await Promise.all(games.map((game, i) => game.untilAcknowledged(5 + i)))
  })

  it('give their last seconds as a take of its own, while they go on', async () => {
    const game = await recording('watched-take-4', 4)
    const response = await post('/api/takes/watched-take-4/excerpts', {
      from: 15,
      to: 34,
      name: 'the odd part',
    })
    expect(response.status).to.equal(201)
    const part = (await response.json()) as TakeSummary
    expect(part).to.include({ name: 'the odd part', frames: 20, state: 'complete', durationMs: 200 })
    expect(part.conditions.more).to.include({ 'excerpt of': 'watched-take-4', frames: '15 to 34' })
    const detail = await getJson<TakeDetail>(server, `/api/takes/${part.id}`)
    expect(detail.moments.map(({ name, frame }) => [name, frame])).to.deep.equal([
      ['bell 2', 5],
      ['bell 3', 15],
    ])
    expect(Date.parse(detail.started) - Date.parse(takeRecord().started)).to.equal(150)
    const bad = await post('/api/takes/watched-take-4/excerpts', { from: 15, to: 40 })
    expect(((await bad.json()) as Problem).detail).to.equal('"to" must be from 15 to 39')
    expect((await live('watched-take-4', 0)).state).to.equal('recording')
    game.vanish()
  })
})

describe('takes in every format', () => {
  let server: RunningServer
  before(async () => {
    server = await testServer()
  })
  after(() => server.stop())

  const put = async (body: Uint8Array | string, query = '') =>
    (await (
      await fetch(`${server.address}/api/imports${query}`, { method: 'POST', body: body as BodyInit })
    ).json()) as ImportResult & Problem
  const file = async (take: string, format: string) =>
    new Uint8Array(
      await (await fetch(`${server.address}/api/takes/${take}/file?format=${format}`)).arrayBuffer(),
    )
  const recordsOf = (bytes: Uint8Array): AnyRecord[] => {
    const records: AnyRecord[] = []
    new RecordReader().push(bytes, (record) => records.push(record))
    return records
  }

  it('keep everything through storing and writing as take file and as JSON lines', async () => {
    await put(bytesOf(richTake()))
    expect(recordsOf(await file('test-take-1', 'lapsus'))).to.deep.equal(richTake())
    const lines = new TextDecoder().decode(await file('test-take-1', 'jsonl'))
    expect(lines).to.equal(richTake().map(jsonLine).join(''))
    const renamed = lines.replace('test-take-1', 'test-take-2')
    expect(await put(gzipSync(renamed))).to.include({
      take: 'test-take-2',
      format: 'json-lines',
      complete: true,
      skipped: null,
    })
    expect(recordsOf(await file('test-take-2', 'lapsus')).slice(1)).to.deep.equal(richTake().slice(1))
  })

  it('show what runs said about themselves on the page, with the frame’s jobs', async () => {
    const bytes = await (await fetch(`${server.address}/api/takes/test-take-1/pages/0`)).arrayBuffer()
    const page = readAnswer(PAGE, new Uint8Array(bytes))
    expect([...page.effect!]).to.deep.equal([2, 1, 0, 0])
    expect([...page.key!]).to.deep.equal([0, 9, 77, 0])
    expect(page.lives).to.deep.equal([{ class: 0, born: 3, died: 2, bytes: 480 }])
    expect(page.jobs.map(({ id }) => id)).to.deep.equal([77])
    const later = await (await fetch(`${server.address}/api/takes/test-take-1/pages/1`)).arrayBuffer()
    const next = readAnswer(PAGE, new Uint8Array(later))
    expect(next.updaters).to.deep.equal([
      { class: 0, instances: 10, enabled: 8, unseen: 1, far: 2, asleep: 3, everyMs: 16.5 },
    ])
    expect(next.watches).to.deep.equal([{ watch: 0, looks: 4, changes: 1 }])
    expect(next.lives).to.deep.equal([])
    const { stretches, classes, watches } = await getJson<TakeDetail>(server, '/api/takes/test-take-1')
    expect(stretches).to.deep.equal([
      { firstFrame: 0, cause: 'frame over 2 ms', at: '2026-01-02T03:04:06.000Z' },
    ])
    expect(classes).to.deep.equal([{ id: 0, name: 'letter', marker: 0 }])
    expect(watches).to.deep.equal([{ id: 0, name: 'tally' }])
  })

  it('take the recorder’s share out of the ledger on demand', async () => {
    const of = async (recorder: string) =>
      (
        await getJson<{ rows: { key: number; selfMs: number; calls: number }[] }>(
          server,
          `/api/takes/test-take-1/ledger?from=0&to=1&recorder=${recorder}`,
        )
      ).rows.find(({ key }) => key === 0)!
    const [recorded, without] = [await of('as-recorded'), await of('without')]
    // Two runs of 40 ns inside, one child with 50 ns around it.
    expect(recorded.selfMs - without.selfMs).to.be.closeTo((2 * 40 + 50) / MS, 1e-9)
    const response = await fetch(`${server.address}/api/takes/test-take-1/ledger?from=0&to=1&recorder=maybe`)
    expect(response.status).to.equal(400)
  })

  it('are written as OpenTelemetry and as CSV', async () => {
    const otlp = new TextDecoder()
      .decode(await file('test-take-1', 'otlp'))
      .trim()
      .split('\n')
    const { spans } = (
      JSON.parse(otlp[0]!) as { resourceSpans: { scopeSpans: { spans: { name: string }[] }[] }[] }
    ).resourceSpans[0]!.scopeSpans[0]!
    expect(spans.map(({ name }) => name)).to.deep.equal([
      'sim',
      'sim',
      'join',
      'job',
      'frame',
      'sim',
      'frame',
    ])
    const csv = new TextDecoder().decode(await file('test-take-1', 'csv')).split('\r\n')
    expect(csv).to.have.length(4)
    expect((await fetch(`${server.address}/api/takes/test-take-1/file?format=pdf`)).status).to.equal(400)
  })

  it('are read from foreign files by their content, with the frame marker and game given', async () => {
    const entries = [0, 16, 32].map((startTime) => ({
      name: 'turn',
      entryType: 'measure',
      startTime,
      duration: 15,
    }))
    const refused = await put(JSON.stringify(entries))
    expect(refused).to.include({ status: 422 })
    expect(refused.detail).to.contain('--frame-marker')
    const result = await put(JSON.stringify(entries), '?frameMarker=turn&game=Page%20game')
    expect(result).to.include({ frames: 3, format: 'timeline', complete: true })
    expect((await getJson<TakeDetail>(server, `/api/takes/${result.take}`)).game).to.equal('Page game')
  })

  it('of which some lines are wrong lose only those, and say which', async () => {
    const lines = richTake().map(jsonLine)
    const early =
      JSON.stringify({
        ...JSON.parse(lines[2]!),
        frames: { start: [0], duration: [5] },
        lanes: [],
        gauges: [],
        jobs: undefined,
        watches: [],
        lives: [],
        updaters: [],
      }) + '\n'
    const undeclared = lines[2]!.replace('"marker":[0,0,1,0]', '"marker":[0,0,1,99]')
    expect(undeclared).not.to.equal(lines[2])
    const text = [
      lines[0]!.replace('test-take-1', 'some-wrong-1'),
      lines[1],
      undeclared,
      lines[2],
      early,
      'noise\n',
      lines[3],
    ].join('')
    const result = await put(text)
    expect(result).to.include({ take: 'some-wrong-1', frames: 2, complete: true, problem: null })
    expect(result.skipped).to.match(/^3 entries were passed over: /)
    expect(result.skipped).to.contain('line 3: expected marker 99 to be declared')
    expect(result.skipped).to.contain('line 5: expected "start[0]" to be no earlier')
    expect(result.skipped).to.contain('line 6: expected a line of JSON')
  })

  it('that unpack to a line without end are refused, and the server goes on', async () => {
    const head = jsonLine(takeRecord({ take: 'bomb-take-1' }))
    const bomb = gzipSync(Buffer.concat([Buffer.from(head), Buffer.alloc(80 * 1024 * 1024, 0x20)]))
    const result = await put(bomb)
    expect(result).to.include({ take: 'bomb-take-1', frames: 0, complete: false })
    expect(result.problem).to.contain('more than 33554432 bytes')
    expect((await fetch(`${server.address}/health`)).status).to.equal(200)
  })
})

describe('searching takes', () => {
  let server: RunningServer
  before(async () => {
    server = await testServer()
    const conditions = [
      { device: 'handset', build: 'release', mode: 'timing', scene: '100 % fog' },
      { device: 'desktop', build: 'debug', mode: 'bytes', more: { flaws: 'letter-churn' } },
      { device: 'desktop', build: 'release' },
    ]
    for (const [i, condition] of conditions.entries()) {
      const records = [
        takeRecord({ take: `searched-${i}`, conditions: condition }),
        declareRecord(1, []),
        endRecord(2, 0),
      ]
      await fetch(`${server.address}/api/imports`, { method: 'POST', body: bytesOf(records) as BodyInit })
    }
    await patch('searched-0', { tags: ['slow', 'before the fix', 'slow'], note: 'the fan was on' })
    await patch('searched-1', { tags: ['slowest', 'a $ "quoted" \\ tag'], name: 'Evening' })
  })
  after(() => server.stop())

  const patch = (take: string, change: unknown) =>
    fetch(`${server.address}/api/takes/${take}`, {
      method: 'PATCH',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify(change),
    })
  const found = async (query: Record<string, string>) =>
    (await getJson<TakeSummary[]>(server, `/api/takes?${new URLSearchParams(query)}`))
      .map(({ id }) => id.at(-1))
      .sort()
      .join('')

  it('finds by words in names, notes, tags and conditions', async () => {
    expect(await found({})).to.equal('012')
    expect(await found({ search: 'fan' })).to.equal('0')
    expect(await found({ search: 'EVEN' })).to.equal('1')
    expect(await found({ search: 'letter-churn' })).to.equal('1')
    expect(await found({ search: '100 %' })).to.equal('0')
    expect(await found({ search: '%_' })).to.equal('')
    expect(await found({ search: "'; DROP TABLE takes; --" })).to.equal('')
  })

  it('filters by tag and condition, exactly and together', async () => {
    expect(await found({ tag: 'slow' })).to.equal('0')
    expect(await found({ tag: 'a $ "quoted" \\ tag' })).to.equal('1')
    expect(await found({ device: 'desktop' })).to.equal('12')
    expect(await found({ device: 'desktop', build: 'release' })).to.equal('2')
    expect(await found({ mode: 'bytes', tag: 'slow' })).to.equal('')
    expect(await found({ state: 'complete' })).to.equal('012')
    expect(await found({ state: 'recording' })).to.equal('')
  })

  it('keeps tags once each, and refuses odd ones', async () => {
    const [take] = await getJson<TakeSummary[]>(server, '/api/takes?tag=slow')
    expect(take!.tags).to.deep.equal(['slow', 'before the fix'])
    for (const tags of [[''], ['x'.repeat(61)], 'slow', [7]])
      expect((await patch('searched-0', { tags })).status).to.equal(400)
  })
})
