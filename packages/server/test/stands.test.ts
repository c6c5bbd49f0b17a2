/** What must not take the server down, lose a record, or keep anybody waiting. */
import { expect } from 'chai'
import { randomBytes } from 'node:crypto'
import { connect as connectTcp } from 'node:net'
import { mkdtempSync, readdirSync, rmSync, utimesSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { pathToFileURL } from 'node:url'
import { gzipSync } from 'node:zlib'
import { DataTypes, Model, type Sequelize } from 'sequelize'
import type { Problem, Recording, StorageReport, TakeDetail, TakeSummary } from '@lapsus/api'
import {
  encodeRecord,
  endRecord,
  INGEST_PROTOCOL,
  LIMITS,
  spoolName,
  type ChunkRecord,
} from '@lapsus/core/format'
import { open } from '../src/store/connection.ts'
import { failureKind } from '../src/store/failure.ts'
import { errorFields } from '../src/log.ts'
import { leavingBy } from '../src/serve/queries/retention.ts'
import type { RunningServer } from '../src/index.ts'
import { freePort } from '../../../scripts/setup/database.mjs'
import { bytesOf, chunkRecord, declareRecord, node, takeRecord } from '../../core/test/support/takes.ts'
import { freshDatabase, getJson, TestGame, testServer, until } from './support.ts'

const MS = 1_000_000
const declare = declareRecord(1, [{ name: 'a' }])
const chunk = (sequence: number): ChunkRecord =>
  chunkRecord(sequence, [{ lanes: [[node(0, MS)]], restNs: 0 }], (sequence - 2) * MS)

describe('the server', () => {
  let server: RunningServer
  let databaseUrl: string
  before(async () => {
    databaseUrl = await freshDatabase()
    server = await testServer({ databaseUrl })
  })
  after(() => server.stop())

  const healthy = async () => (await fetch(`${server.address}/health`)).status === 200
  const port = () => Number(new URL(server.address).port)

  /** Sends text over a bare connection, and gives what comes back. */
  function raw(text: string, { reset = false } = {}): Promise<string> {
    return new Promise((resolve) => {
      const socket = connectTcp(port(), '127.0.0.1', () => {
        socket.write(text)
        if (reset) setTimeout(() => socket.resetAndDestroy(), 5)
      })
      let answer = ''
      socket.on('data', (data) => (answer += data))
      socket.on('error', () => {})
      socket.on('close', () => resolve(answer))
      setTimeout(() => socket.destroy(), 1_000)
    })
  }
  const handshake = (target: string, host = '127.0.0.1', more = '') =>
    `GET ${target} HTTP/1.1\r\nHost: ${host}\r\nConnection: Upgrade\r\nUpgrade: websocket\r\nSec-WebSocket-Version: 13\r\nSec-WebSocket-Key: AAAAAAAAAAAAAAAAAAAAAA==\r\n${more}\r\n`

  it('outlives whatever address a page asks a WebSocket of', async () => {
    for (const target of ['//', '///', '//:80', '/\\', '/%', '*', 'http://', 'http://[', '/ingest//?key=%']) {
      const answer = await raw(handshake(target))
      expect(answer, target).to.match(/^(HTTP\/1\.1 (400|404)|$)/)
    }
    expect(await healthy()).to.equal(true)
  })

  it('outlives connections that are reset at every stage of the handshake', async () => {
    const good = handshake('/ingest')
    for (const text of [good, handshake('//'), handshake('/ingest', 'evil.example'), good.slice(0, 60), 'x'])
      for (let i = 0; i < 5; i++) await raw(text, { reset: true })
    expect(await healthy()).to.equal(true)
  })

  it('gives every answer the security headers, refusals and broken requests included', async () => {
    const missing = (answer: string) =>
      ['content-security-policy', 'x-content-type-options', 'cross-origin-opener-policy'].filter(
        (name) => !answer.toLowerCase().includes(`${name}:`),
      )
    for (const text of [
      handshake('/ingest', 'evil.example'),
      handshake('/nowhere'),
      'NONSENSE\r\n\r\n',
      'GET /health HTTP/1.1\r\nHost: evil.example\r\nConnection: close\r\n\r\n',
      'GET /api/takes/none HTTP/1.1\r\nHost: localhost\r\nConnection: close\r\n\r\n',
      'GET /health HTTP/1.1\r\nHost: localhost\r\nConnection: close\r\n\r\n',
    ]) {
      expect(missing(await raw(text)), text).to.deep.equal([])
    }
    const policy = (await fetch(`${server.address}/health`)).headers.get('content-security-policy')!
    expect(policy).to.contain("default-src 'none'").and.not.to.contain('https:')
  })

  it('calls a client’s fault a client’s fault, with the place', async () => {
    const problem = async (path: string, init: RequestInit) => {
      const response = await fetch(server.address + path, init)
      return { status: response.status, detail: ((await response.json()) as Problem).detail }
    }
    const importing = (body: BodyInit) => problem('/api/imports', { method: 'POST', body })
    const gzip = Buffer.concat([Buffer.from([0x1f, 0x8b, 8, 0, 0, 0, 0, 0, 0, 3]), randomBytes(64)])
    expect((await importing(gzip)).status).to.equal(422)
    const entries = [{ name: 'frame', entryType: 'measure', startTime: 0, duration: 1 }]
    const timeline = await fetch(`${server.address}/api/imports`, {
      method: 'POST',
      body: JSON.stringify({ timeOrigin: 1e300, entries }),
    })
    expect(timeline.status).to.equal(201)
    expect(((await timeline.json()) as { skipped: string }).skipped).to.contain('"timeOrigin": expected ms')
    const flaws = Array.from({ length: 20_000 }, () => 'letter-churn')
    const headers = { 'content-type': 'application/json' }
    const many = { method: 'POST', headers, body: JSON.stringify({ flaws }) }
    expect((await problem('/api/recordings', many)).status).to.equal(400)
    expect(await raw('TRACE / HTTP/1.1\r\nHost: localhost\r\nConnection: close\r\n\r\n')).to.match(
      /^HTTP\/1.1 405/,
    )
    const badTraces = { method: 'POST', headers: { ...headers, 'content-encoding': 'gzip' }, body: 'no gzip' }
    expect((await problem('/v1/traces', badTraces)).status).to.equal(400)
    expect((await problem('/v1/traces', { method: 'POST' })).status).to.equal(415)
  })

  it('answers a client that closes its half after its request', async () => {
    const traces = JSON.stringify({ resourceSpans: [] })
    const answer = await new Promise<string>((resolve) => {
      let text = ''
      const socket = connectTcp(port(), '127.0.0.1', () =>
        socket.end(
          `POST /v1/traces HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Type: application/json\r\nContent-Length: ${traces.length}\r\n\r\n${traces}`,
        ),
      )
      socket.on('data', (data) => (text += data))
      socket.on('close', () => resolve(text))
    })
    expect(answer).to.match(/^HTTP\/1\.1 200/)
  })

  it('answers every handshake, also one that is none', async () => {
    const broken = (from: string, to: string) => raw(handshake('/ingest').replace(from, to))
    expect(await broken('Sec-WebSocket-Version: 13', 'Sec-WebSocket-Version: 12')).to.match(/^HTTP\/1\.1 400/)
    expect(await broken('Sec-WebSocket-Key', 'Sec-WebSocket-Kee')).to.match(/^HTTP\/1\.1 400/)
    expect(await broken('Upgrade: websocket', 'Upgrade: webrocket')).to.match(/^HTTP\/1\.1 400/)
  })

  it('brings in the same file twice at once: one take, whole, and no failure of the server', async () => {
    const frames = Array.from({ length: 50 }, () => ({ lanes: [[node(0, MS)]], restNs: 0 }))
    const chunks = Array.from({ length: 20 }, (_, i) => chunkRecord(i + 2, frames, i * 50 * MS))
    const body = bytesOf([
      takeRecord({ take: 'twice-at-once' }),
      declare,
      ...chunks,
      endRecord(22),
    ]) as BodyInit
    const statuses = await Promise.all(
      Array.from({ length: 4 }, async () => {
        const response = await fetch(`${server.address}/api/imports`, { method: 'POST', body })
        if (response.status === 409) expect(await response.text()).to.contain('take twice-at-once')
        return response.status
      }),
    )
    expect(statuses.filter((status) => status !== 201 && status !== 409)).to.deep.equal([])
    expect(await getJson<TakeDetail>(server, '/api/takes/twice-at-once')).to.include({
      frames: 1_000,
      state: 'complete',
    })
  })

  it('answers on the same connection after it has refused an import', async () => {
    // More than fits into any buffer, so that most of it is still coming when it is refused.
    const body = Buffer.alloc(8 * 1024 * 1024, 'not a take ')
    for (let i = 0; i < 3; i++) {
      expect((await fetch(`${server.address}/api/imports`, { method: 'POST', body })).status).to.equal(422)
      expect(await healthy()).to.equal(true)
    }
  })

  it('answers a client that reads only after it has sent all of a file that is refused', async () => {
    const files = {
      plain: Buffer.alloc(3 * 1024 * 1024, 'not a take '),
      'broken gzip': Buffer.concat([
        Buffer.from([0x1f, 0x8b, 8, 0, 0, 0, 0, 0, 0, 3]),
        randomBytes(3 * 1024 * 1024),
      ]),
      'gzip of no take': gzipSync(randomBytes(3 * 1024 * 1024)),
    }
    for (const [name, file] of Object.entries(files)) {
      const answer = await new Promise<string>((resolve) => {
        let text = ''
        const socket = connectTcp(port(), '127.0.0.1', () => {
          socket.pause()
          const head = `POST /api/imports HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: ${file.length}\r\n\r\n`
          socket.write(Buffer.concat([Buffer.from(head), file.subarray(0, 65_536)]))
          // By then the file is known to be none.
          setTimeout(() => {
            socket.write(file.subarray(65_536))
            setTimeout(() => socket.resume(), 300)
          }, 300)
        })
        socket.on('data', (data) => {
          text += data
          socket.end()
        })
        socket.on('error', () => {})
        socket.on('close', () => resolve(text))
      })
      expect(answer, name).to.match(/^HTTP\/1\.1 422/)
    }
  })

  it('finds the frames of as many moments as there may be', async () => {
    const frames = LIMITS.chunkFrames
    const game = await TestGame.connect(server)
    game.send(takeRecord({ take: 'many-moments' }))
    game.send(declare)
    game.send({
      ...chunkRecord(2, [], 0),
      lanes: [],
      frameStartNs: Float64Array.from({ length: frames }, (_, i) => i * 10),
      frameDurationNs: new Float64Array(frames).fill(10),
      steps: new Uint32Array(frames),
      moments: Array.from({ length: LIMITS.chunkMoments }, (_, i) => ({
        name: 'm',
        atNs: i * 10 + 5,
        data: null,
      })),
    })
    game.send(endRecord(3))
    await game.untilAcknowledged(3)
    const { moments } = await getJson<TakeDetail>(server, '/api/takes/many-moments')
    expect(moments.length).to.equal(LIMITS.chunkMoments)
    expect(moments.every(({ frame }, i) => frame === i)).to.equal(true)
  })

  it('stores what the limits allow, at the limits', async () => {
    const data = { text: 'x'.repeat(LIMITS.dataBytes - '{"text":""}'.length) }
    const game = await TestGame.connect(server)
    game.send(
      takeRecord({ take: 'at-the-limits', conditions: { more: data }, started: '9999-12-31T23:59:59Z' }),
    )
    game.send({
      ...declare,
      markers: [
        {
          id: 0,
          name: 'a',
          group: '',
          kind: 'work',
          tags: [],
          at: null,
          watches: Array.from({ length: 1024 }, (_, i) => i % 1024),
        },
      ],
    })
    game.send({
      ...chunk(2),
      moments: Array.from({ length: 600 }, () => ({ name: 'm', atNs: LIMITS.largestWhole, data })),
    })
    game.send({
      ...chunkRecord(3, [], 0),
      frameStartNs: Float64Array.of(LIMITS.largestWhole),
      frameDurationNs: Float64Array.of(LIMITS.largestWhole),
      steps: new Uint32Array(1),
      lanes: [],
    })
    game.send(endRecord(4))
    await game.untilAcknowledged(4)
    expect(await getJson<TakeDetail>(server, '/api/takes/at-the-limits')).to.include({
      frames: 2,
      setAside: 0,
    })
  })

  it('stores a chunk of noise that no packing makes smaller, and gives it back', async () => {
    const spans = LIMITS.chunkSpans
    const noise = new Uint32Array(randomBytes(spans * 4).buffer.slice(0))
    const take = {
      ...chunk(2),
      lanes: [
        {
          lane: 0,
          count: Uint32Array.of(spans),
          marker: new Uint32Array(spans),
          startNs: Float64Array.from({ length: spans }, (_, i) => noise[i % noise.length]! * 1000),
          durationNs: Float64Array.from(
            { length: spans },
            (_, i) => noise[(i * 7) % noise.length]! % 2 ** 31,
          ),
          depth: new Uint8Array(spans),
          bytes: Float64Array.from({ length: spans }, (_, i) => noise[(i * 3) % noise.length]!),
          key: Uint32Array.from({ length: spans }, (_, i) => noise[(i * 5) % noise.length]!),
        },
      ],
    }
    const game = await TestGame.connect(server)
    game.send(takeRecord({ take: 'much-noise' }))
    game.send(declare)
    game.send(take)
    await game.untilAcknowledged(2)
    game.vanish()
    expect(await getJson<TakeDetail>(server, '/api/takes/much-noise')).to.include({ spans, setAside: 0 })
  })

  describe('a record that the database does not take', () => {
    let database: Sequelize
    before(async () => {
      database = open(databaseUrl)
      await database.query(
        `CREATE TRIGGER poison BEFORE INSERT ON chunks FOR EACH ROW
         BEGIN IF NEW.sequence = 3 AND NEW.take_id = 'poisoned' THEN SIGNAL SQLSTATE '45000' SET MESSAGE_TEXT = 'no such luck'; END IF; END`,
      )
    })
    after(async () => {
      await database.query('DROP TRIGGER poison')
      await database.close()
    })

    it('is set aside at the third try, told in words, and the recording goes on after it', async () => {
      const records = [declare, chunk(2), chunk(3), chunk(4), endRecord(5)]
      let game: TestGame
      for (let tries = 1; ; tries++) {
        game = await TestGame.connect(server, {}, INGEST_PROTOCOL)
        game.send(takeRecord({ take: 'poisoned' }))
        for (const record of records) game.send(record)
        await until(() => game.closeCode !== null || game.acknowledged === 5, 'an end of it')
        if (game.closeCode === null) break
        expect(game.closeCode).to.equal(1013)
        expect(tries).to.be.below(7)
      }
      const notes = game.messages.flatMap((message) => (message.type === 'note' ? [message.note] : []))
      expect(notes[0]).to.contain('record 3 could not be stored').and.contain('no such luck')
      const take = await getJson<TakeDetail>(server, '/api/takes/poisoned')
      expect(take).to.include({ state: 'complete', frames: 2, dropped: 1, setAside: 1 })
      expect(take.setAsideRecords[0]).to.include({ sequence: 3 })
      const kept = await fetch(`${server.address}/api/takes/poisoned/set-aside/3`)
      expect(Buffer.from(await kept.arrayBuffer()).equals(encodeRecord(chunk(3)))).to.equal(true)
      expect((await fetch(`${server.address}/api/takes/poisoned/set-aside/2`)).status).to.equal(404)
    })
  })

  it('lets nobody write to a complete take', async () => {
    const first = await TestGame.connect(server)
    first.send(takeRecord({ take: 'finished' }))
    first.send(declare)
    first.send(endRecord(2))
    await first.untilAcknowledged(2)
    const second = await TestGame.connect(server)
    second.send(takeRecord({ take: 'finished' }))
    await second.untilAcknowledged(2)
    second.send(chunk(3))
    await second.untilClosed()
    expect(second.messages.at(-1)).to.have.nested.property('refused.code', 'after-end')
    expect(await getJson<TakeDetail>(server, '/api/takes/finished')).to.include({
      state: 'complete',
      frames: 0,
    })
  })

  it('keeps two recorders of one identity apart, and loses nothing of either', async () => {
    const games = await Promise.all(
      ['one', 'two'].map(async (writer) => {
        const game = await TestGame.connect(server, {}, INGEST_PROTOCOL)
        game.send(takeRecord({ take: 'forked-game', writer }))
        return game
      }),
    )
    for (const game of games) await game.untilAcknowledged(0)
    for (const game of games) game.send(declare)
    for (let i = 2; i < 6; i++) for (const game of games) game.send(chunk(i))
    for (const game of games) await game.untilAcknowledged(5)
    // One reconnects, and goes on where it was.
    const [, second] = games as [TestGame, TestGame]
    second.vanish()
    const again = await TestGame.connect(server, {}, INGEST_PROTOCOL)
    again.send(takeRecord({ take: 'forked-game', writer: 'two' }))
    await again.untilAcknowledged(5)
    again.send(chunk(6))
    await again.untilAcknowledged(6)
    const all = (await getJson<TakeSummary[]>(server, '/api/takes')).filter(({ id }) =>
      id.startsWith('forked-game'),
    )
    expect(all.map(({ frames }) => frames).sort()).to.deep.equal([4, 5])
    for (const { tags } of all) expect(tags).to.deep.equal(['with forked-game'])
    const told = [...games, again].flatMap(({ messages }) => messages.filter(({ type }) => type === 'note'))
    expect(told.length).to.be.within(1, 2)
    for (const game of [...games, again]) game.vanish()
  })

  it('speaks to a game of the first version as that version does', async () => {
    const old = await TestGame.connect(server)
    const twin = await TestGame.connect(server, {}, INGEST_PROTOCOL)
    old.send(takeRecord({ take: 'of-two-versions', writer: 'one' }))
    old.send(declare)
    await old.untilAcknowledged(1)
    twin.send(takeRecord({ take: 'of-two-versions', writer: 'two' }))
    await until(() => twin.messages.some((message) => 'note' in message), 'the second is told')
    const third = await TestGame.connect(server)
    third.send(takeRecord({ take: 'of-two-versions', writer: 'three' }))
    third.send(declare)
    await third.untilAcknowledged(1)
    // That one would take a note for an acknowledgement.
    for (const game of [old, third])
      expect(game.messages.filter((message) => !('ack' in message))).to.deep.equal([])
    for (const game of [old, twin, third]) game.vanish()
  })

  it('says how much is used', async () => {
    const report = await getJson<StorageReport>(server, '/api/storage')
    expect(report.takes).to.be.above(3)
    expect(report.bytes).to.be.above(1e6)
    expect(report).to.include({ keepDays: null, keepBytes: null })
  })
})

describe('spool files', () => {
  const wholeTake = (take: string) =>
    bytesOf([takeRecord({ take, writer: 'w' }), declare, chunk(2), endRecord(3)])

  it('takes up what a game left before it ended, once', async () => {
    const databaseUrl = await freshDatabase()
    const folder = mkdtempSync(join(tmpdir(), 'lapsus-spool-'))
    const place = await freePort()
    const first = await testServer({ databaseUrl, port: place })
    const game = await TestGame.connect(first)
    game.send(takeRecord({ take: 'spooled-take', writer: 'w' }))
    game.send(declare)
    game.send(chunk(2))
    await game.untilAcknowledged(2)
    game.vanish()
    await first.stop()
    const name = { host: '127.0.0.1', port: place, take: 'spooled-take', writer: 'w', first: 2 }
    const rest = bytesOf([
      takeRecord({ take: 'spooled-take', writer: 'w' }),
      chunk(2),
      chunk(3),
      endRecord(4),
    ])
    writeFileSync(join(folder, spoolName(name)), rest)
    writeFileSync(join(folder, spoolName({ ...name, port: 1 })), rest)
    // One that somebody had taken, and ended before it was stored.
    const taken = { ...name, take: 'taken-take', first: 1 }
    writeFileSync(join(folder, `${spoolName(taken)}.taken`), wholeTake('taken-take'))
    const second = await testServer({ databaseUrl, port: place, spool: folder })
    // Whoever starts it does not wait for what games have left.
    await until(() => readdirSync(folder).length === 1, 'all that is its own is taken up')
    expect(await getJson<TakeDetail>(second, '/api/takes/taken-take')).to.include({
      frames: 1,
      state: 'complete',
    })
    expect(await getJson<TakeDetail>(second, '/api/takes/spooled-take')).to.include({
      frames: 2,
      state: 'complete',
    })
    expect(readdirSync(folder)).to.deep.equal([spoolName({ ...name, port: 1 })])
    await second.stop()
    rmSync(folder, { recursive: true })
  })

  it('takes up what a game leaves meanwhile, once nobody is at it any more', async () => {
    const folder = mkdtempSync(join(tmpdir(), 'lapsus-spool-'))
    const server = await testServer({ spool: folder })
    const port = Number(new URL(server.address).port)
    const leave = (take: string, { ageS = 0, ending = '', bytes = wholeTake(take) } = {}) => {
      const file = spoolName({ host: '127.0.0.1', port, take, writer: 'w', first: 1 }) + ending
      writeFileSync(join(folder, file), bytes)
      const thenS = Date.now() / 1000 - ageS
      utimesSync(join(folder, file), thenS, thenS)
      return file
    }
    // One may still be on its way to the server; one is in the hands of a game that has begun.
    const fresh = leave('fresh-take', { ageS: -3600 })
    const taken = leave('in-other-hands', { ageS: 60, ending: '.taken' })
    const wrong = leave('wrong-take', { ageS: 60, bytes: Buffer.from('no take') })
    const due = leave('settled-take', { ageS: 60 })
    const left = () => readdirSync(folder)
    await until(() => !left().includes(due) && left().includes(`${wrong}.refused`), 'what is due is taken up')
    const [settled, ...others] = await getJson<TakeSummary[]>(server, '/api/takes')
    expect(settled).to.include({ id: 'settled-take', frames: 1, state: 'complete' })
    expect(others).to.deep.equal([])
    expect(left()).to.have.members([fresh, taken, `${wrong}.refused`])
    await server.stop()
    rmSync(folder, { recursive: true })
  })

  it('has what the demo game left before its recording is over', async () => {
    const folder = mkdtempSync(join(tmpdir(), 'lapsus-spool-'))
    const go = join(folder, 'go')
    const demoGame = join(folder, 'game.mjs')
    // Describes itself as the real one does; ends when it may.
    const real = pathToFileURL(join(import.meta.dirname, '../../../games/moth-post/dist/main.mjs'))
    writeFileSync(
      demoGame,
      `import { existsSync } from 'node:fs'
       if (process.argv.includes('--describe')) await import(${JSON.stringify(real.href)})
       else while (!existsSync(${JSON.stringify(go)})) await new Promise((resolve) => setTimeout(resolve, 20))`,
    )
    const server = await testServer({ demoGame, spool: folder })
    const request = { method: 'POST', headers: { 'content-type': 'application/json' } }
    const recorded = await fetch(`${server.address}/api/recordings`, {
      ...{ ...request, body: JSON.stringify({ seconds: 5, flaws: [] }) },
    })
    const { id, take } = (await recorded.json()) as Recording
    const port = Number(new URL(server.address).port)
    const spooled = spoolName({ host: '127.0.0.1', port, take, writer: 'w', first: 1 })
    writeFileSync(join(folder, spooled), wholeTake(take))
    writeFileSync(go, '')
    const state = async () => (await getJson<Recording>(server, `/api/recordings/${id}`)).state
    await until(async () => (await state()) === 'done', 'the recording is over')
    expect(await getJson<TakeDetail>(server, `/api/takes/${take}`)).to.include({
      frames: 1,
      state: 'complete',
    })
    expect(readdirSync(folder)).to.have.members(['game.mjs', 'go'])
    await server.stop()
    rmSync(folder, { recursive: true })
  })
})

describe('the driver', () => {
  it('gives back what went in, whatever the bytes and however many', async () => {
    const database = open(await freshDatabase())
    class BlobRow extends Model {}
    BlobRow.init(
      { id: { type: DataTypes.INTEGER, primaryKey: true }, body: DataTypes.BLOB('long') },
      { sequelize: database, tableName: 'blobs' },
    )
    await BlobRow.sync()
    const hostile = Buffer.from(`'"\\\0\x1a\n'); DROP TABLE blobs; -- ? :a $1 \u2028`.repeat(1000))
    const bodies = [
      hostile,
      Buffer.alloc(0),
      ...[1, 8, 17, 33, 60].map((mb) => randomBytes(mb * 1024 * 1024)),
    ]
    for (const [id, body] of bodies.entries()) {
      await BlobRow.create({ id, body })
      const row = (await BlobRow.findByPk(id, { raw: true })) as unknown as { body: Buffer }
      expect(row.body.equals(body), `${body.length} bytes`).to.equal(true)
    }
    await database.close()
  })
})

describe('failures of the database', () => {
  const failing = (fields: object, name = 'SequelizeDatabaseError') =>
    Object.assign(new Error('failed'), { name, original: Object.assign(new Error('why'), fields) })

  it('are told apart by their codes', () => {
    expect(failureKind(failing({ errno: 1114 }))).to.equal('full')
    expect(failureKind(failing({ errno: 1030, message: 'Got error 28 "No space left on device"' }))).to.equal(
      'full',
    )
    expect(failureKind(failing({ errno: 1213 }))).to.equal('conflict')
    expect(failureKind(failing({ errno: 1064 }))).to.equal('command')
    expect(
      failureKind(failing({ code: 'ECONNREFUSED', errno: -111 }, 'SequelizeConnectionRefusedError')),
    ).to.equal('away')
    expect(failureKind(failing({ code: 'ER_SOCKET_UNEXPECTED_CLOSE', errno: 45009 }))).to.equal('away')
    expect(failureKind(new TypeError('a bug'))).to.equal(null)
  })

  it('are logged without the command and its values', () => {
    const error = Object.assign(failing({ errno: 1064, sql: 'INSERT secret' }), {
      sql: 'INSERT secret',
      parameters: ['secret'],
      message: 'wrong\nsql: INSERT secret - parameters:[secret]',
    })
    expect(JSON.stringify(errorFields(error))).not.to.contain('secret')
    const long = new Error('x'.repeat(1_000_000))
    expect(JSON.stringify(errorFields(long)).length).to.be.below(4_096)
  })
})

describe('retention', () => {
  const DAY = 24 * 3600 * 1000
  const now = Date.UTC(2026, 0, 31)
  const take = (id: string, ageDays: number, storedBytes = 10, isKept = false) => ({
    id,
    started: new Date(now - ageDays * DAY),
    storedBytes,
    isKept,
  })

  it('lets go what is older than it says, just above and not just below', () => {
    const takes = [take('older', 7.001), take('younger', 6.999), take('kept', 100, 10, true)]
    expect(leavingBy({ days: 7, bytes: null }, takes, now)).to.deep.equal(['older'])
    expect(leavingBy({ days: null, bytes: null }, takes, now)).to.deep.equal([])
  })

  it('lets the oldest go until the rest fits, never what is kept', () => {
    const takes = [take('c', 1), take('a', 3), take('kept', 9, 10, true), take('b', 2)]
    expect(leavingBy({ days: null, bytes: 40 }, takes, now)).to.deep.equal([])
    expect(leavingBy({ days: null, bytes: 39 }, takes, now)).to.deep.equal(['a'])
    expect(leavingBy({ days: null, bytes: 1 }, takes, now)).to.deep.equal(['a', 'b', 'c'])
  })
})
