import { expect } from 'chai'
import { gzipSync } from 'node:zlib'
import { request as httpRequest } from 'node:http'
import type { FileImport, ImportResult, Problem, Recording, TakeDetail, TakeSummary } from '@lapsus/api'
import { endRecord, encodeCbor, encodeRecord, RecordReader, type AnyRecord } from '@lapsus/core/format'
import type { RunningServer } from '../src/index.ts'
import { bytesOf, chunkRecord, declareRecord, node, takeRecord } from '../../core/test/support/takes.ts'
import { getJson, testServer, until } from './support.ts'

const MS = 1_000_000
const DEMO_GAME = new URL('../../../games/moth-post/dist/main.mjs', import.meta.url).pathname

const sample = (take: string): AnyRecord[] => [
  takeRecord({ take }),
  declareRecord(1, [{ name: 'sim' }, { name: 'wait', kind: 'wait:job' }], ['main', 'worker 1']),
  {
    ...chunkRecord(2, [
      { lanes: [[node(0, 3 * MS, [node(1, 1 * MS)])], [node(0, 2 * MS)]], restNs: 10 },
      { lanes: [[node(0, 20 * MS)]], restNs: 10 },
    ]),
    gauges: [{ gauge: 0, frame: Uint32Array.of(1), value: Float64Array.of(-2.5) }],
    moments: [{ name: 'bell', atNs: 4 * MS + 20, data: null }],
    steps: Uint32Array.of(1, 3),
    dropped: 1,
    repaired: 2,
  },
  endRecord(3, 2),
]

describe('request API', () => {
  let server: RunningServer
  before(async () => {
    server = await testServer({ demoGame: DEMO_GAME, extraOrigins: ['http://127.0.0.1:5173'] })
  })
  after(() => server.stop())

  const call = (path: string, init?: RequestInit) => fetch(server.address + path, init)
  const send = (method: string, path: string, body: unknown) =>
    call(path, { method, headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) })
  const importBytes = async (bytes: Uint8Array) =>
    (await (await call('/api/imports', { method: 'POST', body: bytes as BodyInit })).json()) as ImportResult &
      Problem

  async function problem(response: Response): Promise<Problem> {
    expect(response.headers.get('content-type')).to.contain('application/problem+json')
    const body = (await response.json()) as Problem
    expect(body.status).to.equal(response.status)
    return body
  }

  it('exports several takes as one file, which imports as several', async () => {
    for (const take of ['together-1', 'together-2']) await importBytes(bytesOf(sample(take)))
    const response = await call('/api/archives?takes=together-1,together-2')
    expect(response.headers.get('content-disposition')).to.contain('lapsus-2-takes.lapsus')
    const bytes = new Uint8Array(await response.arrayBuffer())
    for (const take of ['together-1', 'together-2']) await server.store.takes.destroy({ where: { id: take } })
    const result = (await (
      await call('/api/imports', { method: 'POST', body: bytes as BodyInit })
    ).json()) as FileImport
    expect(
      [result, ...result.others].map(({ take, frames, complete }) => [take, frames, complete]),
    ).to.deep.equal([
      ['together-1', 2, true],
      ['together-2', 2, true],
    ])
    // What breaks off is the last; the one before is whole.
    for (const take of ['together-1', 'together-2']) await server.store.takes.destroy({ where: { id: take } })
    const cut = await call('/api/imports', { method: 'POST', body: bytes.subarray(0, -3) as BodyInit })
    const half = (await cut.json()) as FileImport
    expect([half.complete, half.problem]).to.deep.equal([true, null])
    expect(half.others[0]).to.include({ take: 'together-2', complete: false, frames: 2 })
    expect(half.others[0]!.problem).to.contain('breaks off')
    expect((await problem(await call('/api/archives?takes=together-1,gone'))).detail).to.equal(
      'there is no take gone',
    )
  })

  it('imports a take file and exports the same records', async () => {
    const records = sample('round-trip')
    expect(await importBytes(bytesOf(records))).to.deep.equal({
      take: 'round-trip',
      frames: 2,
      complete: true,
      format: 'take',
      skipped: null,
      problem: null,
      others: [],
    })
    const bytes = new Uint8Array(await (await call('/api/takes/round-trip/file')).arrayBuffer())
    const back: AnyRecord[] = []
    new RecordReader().push(bytes, (record) => back.push(record))
    expect(back[0]).to.deep.equal(records[0])
    expect(back[2]).to.deep.equal(records[2])
    expect(back[3]).to.deep.equal(records[3])
  })

  it('imports gzip, and the same file twice without doubling', async () => {
    const bytes = gzipSync(bytesOf(sample('zipped-take')))
    await importBytes(bytes)
    expect(await importBytes(bytes)).to.include({ take: 'zipped-take', frames: 2, complete: true })
    expect(await getJson<TakeDetail>(server, '/api/takes/zipped-take')).to.include({
      frames: 2,
      spans: 4,
      dropped: 3,
    })
  })

  it('imports what is readable of a cut or broken file, and says what is not', async () => {
    const records = sample('cut-take-1')
    const whole = bytesOf(records)
    const cut = await importBytes(whole.subarray(0, whole.length - 3))
    expect(cut).to.include({ frames: 2, complete: false })
    expect(cut.problem).to.contain('breaks off after record 2')
    expect((await getJson<TakeDetail>(server, '/api/takes/cut-take-1')).state).to.equal('cut-short')
    const cutZip = gzipSync(bytesOf(sample('cut-zip-take')))
    expect(await importBytes(cutZip.subarray(0, cutZip.length - 20))).to.include({
      take: 'cut-zip-take',
      complete: false,
    })
    const broken = Buffer.concat([
      ...sample('broken-file').slice(0, 3).map(encodeRecord),
      encodeCbor({ record: 'chunk', sequence: 3 }),
    ])
    const result = await importBytes(broken)
    expect(result.frames).to.equal(2)
    expect(result.problem).to.match(/^record 3 at byte \d+: expected "frames" to be a map, got nothing/)
    // The rest, sent later, completes it.
    expect(await importBytes(bytesOf(sample('broken-file')))).to.include({ frames: 2, complete: true })
  })

  it('refuses files that are no takes', async () => {
    expect((await importBytes(Buffer.from('%PDF-1.7'))).detail).to.contain('it is text, and no JSON')
    expect((await importBytes(new Uint8Array(0))).detail).to.contain('it is empty')
    expect((await importBytes(encodeRecord(takeRecord()).subarray(0, 30))).detail).to.contain(
      'ends within its first record',
    )
    expect((await importBytes(gzipSync(Buffer.from('hello')))).status).to.equal(422)
  })

  it('lists, renames, annotates, deletes and restores takes', async () => {
    await importBytes(bytesOf(sample('managed-take')))
    const named = await send('PATCH', '/api/takes/managed-take', {
      name: 'Rainy evening',
      note: 'läuft – 雨',
    })
    expect(await named.json()).to.include({ name: 'Rainy evening', note: 'läuft – 雨' })
    const ids = async () =>
      (await getJson<TakeSummary[]>(server, '/api/takes?game=Test%20Game')).map(({ id }) => id)
    expect(await ids()).to.include('managed-take')
    expect((await getJson<TakeSummary[]>(server, '/api/takes?game=Other')).length).to.equal(0)
    expect((await call('/api/takes/managed-take', { method: 'DELETE' })).status).to.equal(204)
    expect(await ids()).not.to.include('managed-take')
    expect((await call('/api/takes/managed-take')).status).to.equal(404)
    expect((await call('/api/takes/managed-take/restore', { method: 'POST' })).status).to.equal(200)
    expect(await ids()).to.include('managed-take')
    const games = await getJson<{ name: string; takes: number }[]>(server, '/api/games')
    expect(games.find(({ name }) => name === 'Test Game')!.takes).to.equal((await ids()).length)
  })

  it('lists the newest, as many as are asked for; what has no date is of when it came', async () => {
    const all = await getJson<TakeSummary[]>(server, '/api/takes')
    const [one] = await server.store.takes.findAll({ where: { id: all[0]!.id } })
    const { id: _, ...rest } = one!.get({ plain: true })
    const day = (n: number) => new Date(Date.UTC(2040, 0, n))
    // The last of 1970 that counts as undated, and the first that does not.
    const undated = new Date(Date.UTC(1970, 0, 3) - 1)
    await server.store.takes.bulkCreate([
      { ...rest, id: 'listed-dated', started: day(2), touchedAt: day(9) },
      { ...rest, id: 'listed-undated', started: undated, touchedAt: day(3) },
      { ...rest, id: 'listed-old', started: new Date(Date.UTC(1970, 0, 3)), touchedAt: day(8) },
    ])
    const ids = async (query: string) =>
      (await getJson<TakeSummary[]>(server, `/api/takes${query}`)).map(({ id }) => id)
    const whole = await ids('')
    expect(whole.slice(0, 2)).to.deep.equal(['listed-undated', 'listed-dated'])
    expect(whole.at(-1)).to.equal('listed-old')
    for (const limit of [1, 2, whole.length, whole.length + 5])
      expect(await ids(`?limit=${limit}`)).to.deep.equal(whole.slice(0, limit))
    for (const wrong of ['0', '-1', '1.5', 'x', '10001'])
      expect((await fetch(`${server.address}/api/takes?limit=${wrong}`)).status, wrong).to.equal(400)
    await server.store.takes.destroy({ where: { id: ['listed-dated', 'listed-undated', 'listed-old'] } })
  })

  it('answers bad requests with a problem that names the field', async () => {
    await importBytes(bytesOf(sample('asked-take')))
    const of = async (path: string) => problem(await call(path))
    expect(await of('/api/takes/no-such')).to.include({ status: 404, field: 'take' })
    expect(await of('/api/takes/asked-take/pages/2')).to.include({
      status: 404,
      field: 'frame',
      detail: 'there is no frame 2: the take has 2',
    })
    expect(await of('/api/takes/asked-take/pages/-1')).to.include({ status: 400, field: 'frame' })
    expect(await of('/api/takes/asked-take/pages/1.5')).to.include({ status: 400, field: 'frame' })
    expect(await of('/api/takes/asked-take/ledger?from=0')).to.include({ status: 400, field: 'to' })
    expect(await of('/api/takes/asked-take/ledger?from=0&to=1&by=colour')).to.include({
      status: 400,
      field: 'by',
    })
    expect(await of('/api/takes/asked-take/ledger?from=1&to=0')).to.include({ status: 400, field: 'to' })
    expect(await of('/api/takes/asked-take/ledger?from=0&to=9')).to.include({ status: 404, field: 'to' })
    expect(await of('/api/takes/asked-take/ledger?from=0&to=1&x=1')).to.include({ status: 400, field: 'x' })
    expect(await of('/api/nothing')).to.include({ status: 404 })
    const changed = async (body: unknown) => problem(await send('PATCH', '/api/takes/asked-take', body))
    expect(await changed({ name: 'x'.repeat(201) })).to.include({ status: 400, field: 'name' })
    expect(await changed({ name: null })).to.include({ status: 400, field: 'name' })
    expect(await changed({ state: 'complete' })).to.include({ status: 400, field: 'state' })
    expect(await changed([])).to.include({ status: 400 })
    for (const name of ['constructor', 'prototype']) {
      const body = JSON.parse(`{"name":"a","tags":[{"${name}":null}]}`) as object
      expect(await changed(body)).to.include({ status: 400, field: name })
    }
    const nested = (depth: number): unknown => (depth === 0 ? 1 : { tags: nested(depth - 1) })
    expect(await changed(nested(17))).to.include({ status: 400, field: 'tags' })
    expect(((await changed(nested(18))) as { detail: string }).detail).to.contain('deeper than 16')
    expect(((await changed(nested(1_000))) as { detail: string }).detail).to.contain('deeper than 16')
    expect(await of('/api/takes/asked-take/course?paths=0,1000000')).to.include({
      status: 404,
      field: 'paths',
    })
    const broken = await call('/api/takes/asked-take', {
      method: 'PATCH',
      headers: { 'content-type': 'application/json' },
      body: '{"name":',
    })
    expect((await problem(broken)).status).to.equal(400)
  })

  it('lets only this machine and its own pages in', async () => {
    const status = (headers: Record<string, string>) =>
      new Promise((resolve, reject) => {
        const sent = httpRequest(`${server.address}/api/takes`, { headers }, (response) => {
          response.resume()
          resolve(response.statusCode)
        })
        sent.once('error', reject)
        sent.end()
      })
    expect(await status({})).to.equal(200)
    expect(await status({ Host: 'lapsus.example' })).to.equal(403)
    expect(await status({ Origin: 'http://lapsus.example' })).to.equal(403)
    expect(await status({ Origin: 'http://127.0.0.1:1' })).to.equal(403)
    expect(await status({ Origin: server.address })).to.equal(200)
    expect(await status({ Origin: 'http://127.0.0.1:5173' })).to.equal(200)
  })

  it('records the demo game as a real process, with progress, and stops it keeping the take', async () => {
    const bad = await problem(await send('POST', '/api/recordings', { seconds: 5, flaws: ['no-such'] }))
    expect(bad).to.include({ status: 400, field: 'flaws' })
    for (const trial of ['no-such', 'letter-churn']) {
      const untried = await problem(await send('POST', '/api/recordings', { seconds: 5, trial }))
      expect(untried).to.include({ status: 400, field: 'trial' })
    }
    expect(await problem(await send('POST', '/api/recordings', { seconds: 0 }))).to.include({
      field: 'seconds',
    })
    const started = (await (
      await send('POST', '/api/recordings', {
        seconds: 60,
        flaws: ['letter-churn'],
        seed: 3,
        name: 'Short',
        target: 30,
        graphicsMs: 80,
      })
    ).json()) as Recording
    const now = () => getJson<Recording>(server, `/api/recordings/${started.id}`)
    await until(async () => (await now()).frames > 60, 'frames arrive')
    expect(await now()).to.include({ state: 'recording' })
    const stopped = (await (
      await call(`/api/recordings/${started.id}/stop`, { method: 'POST' })
    ).json()) as Recording
    expect(stopped.state).to.equal('done')
    const take = await getJson<TakeDetail>(server, `/api/takes/${started.take}`)
    expect(take).to.include({ game: 'Moth Post', name: 'Short', state: 'complete' })
    expect(take.conditions).to.include({ seed: 3, mode: 'timing' })
    expect(take.conditions.more).to.include({ flaws: 'letter-churn', paced: true, routes: 'sliced' })
    expect(take.frames).to.be.greaterThan(60)
    expect(take.target).to.equal(30)
    // On a busy machine frames are over instead; without graphics time none is held by it.
    expect(take.figures!.heldBy.graphics).to.be.greaterThan(5)
    expect(take.lanes.map(({ name }) => name)).to.deep.equal(['main', 'wind worker'])
    expect(await problem(await call('/api/recordings/none'))).to.include({ status: 404, field: 'recording' })
  })

  it('keeps a worker’s spans apart from the frame’s work', async () => {
    await importBytes(bytesOf(sample('lanes-take')))
    const take = await getJson<TakeDetail>(server, '/api/takes/lanes-take')
    expect(take.figures).to.include({ over: 1, held: 0 })
    expect(take.figures!.work.p50).to.be.closeTo((3 + 20.00001) / 2, 0.001)
  })
})

describe('request API without a demo game', () => {
  it('says that it cannot be started, and goes on', async () => {
    const server = await testServer({ demoGame: '/no/such/game.mjs' })
    for (const method of ['GET', 'POST']) {
      const init =
        method === 'POST' ? { method, headers: { 'content-type': 'application/json' }, body: '{}' } : {}
      const response = await fetch(
        `${server.address}/api/${method === 'GET' ? 'demo-game' : 'recordings'}`,
        init,
      )
      expect(response.status).to.equal(503)
      expect(((await response.json()) as Problem).detail).to.contain('the demo game cannot be started')
    }
    expect((await fetch(`${server.address}/health`)).status).to.equal(200)
    await server.stop()
  })
})
