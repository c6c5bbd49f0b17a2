/** Threads: what they hand to each other, and what becomes of work whose thread dies. */
import { expect } from 'chai'
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { connect, type AddressInfo } from 'node:net'
import { availableParallelism, tmpdir } from 'node:os'
import { join } from 'node:path'
import { performance } from 'node:perf_hooks'
import { MessageChannel, type MessagePort } from 'node:worker_threads'
import { pino } from 'pino'
import { WebSocket, WebSocketServer } from 'ws'
import { endRecord, INGEST_PROTOCOL } from '@lapsus/core/format'
import type { ImportResult, LoadReport, TakeDetail } from '@lapsus/api'
import { bytesOf, chunkRecord, declareRecord, node, takeRecord } from '../../core/test/support/takes.ts'
import type { RunningServer } from '../src/index.ts'
import { Pool } from '../src/serve/pool/pool.ts'
import type { Store } from '../src/store/store.ts'
import { IngestStreams } from '../src/ingest/streams.ts'
import type { DatabaseHealth } from '../src/store/health.ts'
import { movable, piecesFrom, sendPieces } from '../src/threads/byte-pipe.ts'
import { getJson, TestGame, testServer, until } from './support.ts'

const pause = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms))

describe('threads that cannot begin', () => {
  const folder = mkdtempSync(join(tmpdir(), 'lapsus-threads-'))
  after(() => rmSync(folder, { recursive: true, force: true }))

  it('are said to whoever waits for one, and begin when they can', async () => {
    const script = join(folder, 'thread.mjs')
    const pool = new Pool('mariadb://nowhere', {} as Store, pino({ level: 'silent' }), script)
    const ask = () => pool.run('history', {} as never)
    try {
      const failures = await Promise.all(
        [ask(), ask()].map((asked) => asked.catch((error: unknown) => error)),
      )
      for (const failure of failures)
        expect(failure).to.include({ status: 503, message: 'no thread of the server can begin' })
      expect(pool.busy.map(({ inHand, waiting }) => [inHand, waiting])).to.deep.equal(Array(5).fill([0, 0]))
      writeFileSync(script, 'export default () => ({ told: 7 })')
      expect(await ask()).to.equal(7)
    } finally {
      await pool.stop()
    }
  })
})

describe('bytes handed from thread to thread', () => {
  it('come whole and in order, texts as UTF-8', async () => {
    const { port1, port2 } = new MessageChannel()
    async function* all() {
      for (let i = 0; i < 50; i++) yield Uint8Array.of(i, i)
      yield 'Ü'
    }
    void sendPieces(port1, all())
    const found: Buffer[] = []
    for await (const piece of piecesFrom(port2)) found.push(piece)
    expect(found.slice(0, 50).map((piece) => [...piece])).to.deep.equal(
      Array.from({ length: 50 }, (_, i) => [i, i]),
    )
    expect(found[50]!.toString()).to.equal('Ü')
  })

  for (const ahead of [1, 4, 16])
    it(`are made no faster than they are taken, but for ${ahead} ahead`, async () => {
      const { port1, port2 } = new MessageChannel()
      let made = 0
      async function* endless() {
        for (;;) yield Uint8Array.of(made++)
      }
      const sent = sendPieces(port1, endless())
      const pieces = piecesFrom(port2, ahead)
      for (let taken = 1; taken <= 20; taken++) {
        expect((await pieces.next()).value).to.deep.equal(Buffer.of(taken - 1))
        await until(() => made >= taken + ahead - 1, 'as many as may be ahead')
        await pause(2)
        expect(made).to.be.at.most(taken + ahead)
      }
      // Whoever takes no more ends the making.
      await pieces.return(undefined)
      await sent
      const then = made
      await pause(10)
      expect(made).to.equal(then)
    })

  it('end with the failure of what makes them, and of the port', async () => {
    const broken = new MessageChannel()
    async function* failing() {
      yield Uint8Array.of(1)
      throw Object.assign(new Error('no more'), { code: 'Z_GONE' })
    }
    void sendPieces(broken.port1, failing())
    const pieces = piecesFrom(broken.port2)
    expect((await pieces.next()).value).to.deep.equal(Buffer.of(1))
    const failure = await pieces.next().catch((error: unknown) => error)
    expect(failure).to.include({ message: 'no more', code: 'Z_GONE' })
    const silent = new MessageChannel()
    const next = piecesFrom(silent.port2).next()
    silent.port1.close()
    expect(await next.catch((error: unknown) => error)).to.include({ message: 'the other thread ended' })
  })

  it('are handed over where they lie in memory of their own, copied where not', () => {
    const own = new Uint8Array(10)
    expect(movable(own)).to.equal(own)
    const slice = own.subarray(2, 4)
    expect(movable(slice).buffer).not.to.equal(own.buffer)
    expect(movable(slice)).to.deep.equal(Uint8Array.of(0, 0))
    const pooled = Buffer.from('abc')
    expect(movable(pooled).byteLength).to.equal(3)
    expect(movable(pooled).buffer).not.to.equal(pooled.buffer)
  })
})

describe('a game whose thread takes long to begin', () => {
  it('is given signs of life until it is heard, and none if it would not understand them', async () => {
    for (const protocol of [INGEST_PROTOCOL, undefined]) {
      const sockets = new WebSocketServer({ port: 0, host: '127.0.0.1' })
      await new Promise((resolve) => sockets.once('listening', resolve))
      const keep = async ({ port }: { port: MessagePort }) => {
        await pause(1_300)
        port.postMessage({ say: { type: 'ack', ack: 0 } })
        await pause(2_200)
        port.close()
      }
      const health = { mayStore: true } as DatabaseHealth
      const streams = new IngestStreams(keep, health, pino({ level: 'silent' }))
      sockets.on('connection', (socket) => streams.accept(socket))
      const { port } = sockets.address() as AddressInfo
      const heard: string[] = []
      const game = new WebSocket(`ws://127.0.0.1:${port}`, protocol)
      game.onmessage = ({ data }) => heard.push((JSON.parse(String(data)) as { type: string }).type)
      await pause(3_600)
      expect(heard).to.deep.equal(protocol === undefined ? ['ack'] : ['wait', 'wait', 'ack'])
      game.close()
      await streams.stop()
      sockets.close()
    }
  })
})

describe('a server with threads', () => {
  let server: RunningServer
  before(async () => {
    server = await testServer()
  })
  after(() => server.stop())

  const chunk = (sequence: number) =>
    chunkRecord(sequence, [{ lanes: [[node(0, 5_000_000)]], restNs: 0 }], sequence * 6_000_000)

  async function begin(take: string): Promise<TestGame> {
    const game = await TestGame.connect(server)
    game.send(takeRecord({ take }))
    game.send(declareRecord(1, [{ name: 'sim' }]))
    game.send(chunk(2))
    await game.untilAcknowledged(2)
    return game
  }

  async function filesInHand(): Promise<number> {
    const { threads } = await getJson<LoadReport>(server, '/api/load')
    return threads.find(({ kind }) => kind === 'files')!.inHand
  }

  /** Breaks the connection with a TCP reset, so long after the request. */
  function hangUp(request: string, afterMs: number): Promise<void> {
    const socket = connect(Number(new URL(server.address).port), '127.0.0.1')
    socket.on('error', () => {})
    socket.write(request, () => setTimeout(() => socket.resetAndDestroy(), afterMs))
    return new Promise((resolve) => socket.once('close', () => resolve()))
  }

  it('stores games on as many threads as there are cores', async () => {
    const games: TestGame[] = []
    for (let i = 0; i < availableParallelism() + 1; i++) games.push(await begin(`side-by-side-${i}`))
    expect(server.pool.workers('recordings')).to.have.length(availableParallelism())
    games.forEach((game) => game.vanish())
  })

  it('begins one for what will be asked while a game records', async () => {
    const own = await testServer()
    const game = await TestGame.connect(own)
    game.send(takeRecord({ take: 'looked-at-soon' }))
    await until(
      () => own.pool.workers('questions').length === 1,
      'a thread begins that nobody asked anything',
    )
    game.vanish()
    await own.stop()
  })

  it('loses no record and doubles none when the thread of a recording dies', async () => {
    const game = await begin('on-a-dying-thread')
    await Promise.all(server.pool.workers('recordings').map((thread) => thread.terminate()))
    await game.untilClosed()
    // Try again later: the game does.
    expect(game.closeCode).to.equal(1013)
    const again = await TestGame.connect(server)
    again.send(takeRecord({ take: 'on-a-dying-thread' }))
    await again.untilAcknowledged(2)
    for (const record of [chunk(2), chunk(3), endRecord(4)]) again.send(record)
    await again.untilAcknowledged(4)
    const { frames, state } = await getJson<TakeDetail>(server, '/api/takes/on-a-dying-thread')
    expect({ frames, state }).to.deep.equal({ frames: 2, state: 'complete' })
  })

  it('asks a question again whose thread died', async () => {
    const frames = Array.from({ length: 2_000 }, () => ({ lanes: [[node(0, 5_000_000)]], restNs: 0 }))
    const body = bytesOf([
      takeRecord({ take: 'asked-twice' }),
      declareRecord(1, [{ name: 'sim' }]),
      chunkRecord(2, frames),
      endRecord(3),
    ])
    await fetch(`${server.address}/api/imports`, { method: 'POST', body: body as BodyInit })
    await until(async () => (await server.store.diagnoses.count()) > 0, 'it is diagnosed')
    await Promise.all(server.pool.workers('questions').map((thread) => thread.terminate()))
    const answer = fetch(`${server.address}/api/takes/asked-twice/ledger?from=0&to=1999`)
    await until(() => server.pool.workers('questions').length > 0, 'a thread begins')
    await server.pool.workers('questions')[0]!.terminate()
    expect((await answer).status).to.equal(200)
  })

  it('leaves its own thread free while it imports', async () => {
    const entries = Array.from({ length: 120_000 }, (_, i) => ({
      ...{ name: i % 4 === 0 ? 'frame' : `part ${i % 4}`, entryType: 'measure' },
      ...{ startTime: Math.floor(i / 4) * 16 + (i % 4) * 2, duration: i % 4 === 0 ? 16 : 1.5 },
    }))
    const before = performance.eventLoopUtilization()
    const response = await fetch(`${server.address}/api/imports?frameMarker=frame`, {
      method: 'POST',
      body: JSON.stringify(entries),
    })
    const { utilization } = performance.eventLoopUtilization(before)
    expect((await response.json()) as ImportResult).to.include({ frames: 30_000, problem: null })
    expect(utilization).to.be.below(0.75)
  })

  it('exports every piece, however soon the thread is done', async () => {
    const read = async () =>
      (await (await fetch(`${server.address}/api/takes/on-a-dying-thread/file?format=jsonl`)).text()).split(
        '\n',
      )
    const lines = await read()
    expect(lines.slice(0, -1).map((line) => (JSON.parse(line) as { record: string }).record)).to.deep.equal([
      'take',
      'declare',
      'chunk',
      'chunk',
      'end',
    ])
    for (let i = 0; i < 40; i++) expect(await read()).to.deep.equal(lines)
  })

  it('ends an export that nobody reads any more', async () => {
    const abort = new AbortController()
    const response = await fetch(`${server.address}/api/takes/asked-twice/file?format=jsonl`, {
      signal: abort.signal,
    })
    await response.body!.getReader().read()
    abort.abort()
    await until(async () => (await filesInHand()) === 0, 'the export ends')
  })

  it('ends exports whose readers were gone before the first piece', async () => {
    const target = '/api/takes/on-a-dying-thread/file?format=jsonl'
    // More than a thread has in hand at once: if they stayed, the last would wait for ever.
    for (let i = 0; i < 40; i++) await hangUp(`GET ${target} HTTP/1.1\r\nHost: 127.0.0.1\r\n\r\n`, i % 4)
    const response = await fetch(`${server.address}${target}`, { signal: AbortSignal.timeout(10_000) })
    expect(await response.text()).to.contain('"record":"end"')
    await until(async () => (await filesInHand()) === 0, 'the exports end')
  })

  it('outlives uploads that break off before anybody has read of them', async () => {
    const head = 'POST /api/imports HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: 1000\r\n\r\nabc'
    for (let i = 0; i < 40; i++) await hangUp(head, i % 4)
    await until(async () => (await filesInHand()) === 0, 'the imports end')
  })

  it('says how busy it is', async () => {
    const load = await getJson<LoadReport>(server, '/api/load')
    expect(load.threads.map(({ kind }) => kind)).to.deep.equal([
      'recordings',
      'files',
      'questions',
      'small',
      'studies',
    ])
    for (const { threads, inHand, waiting } of load.threads) {
      expect(inHand).to.be.at.least(waiting)
      expect(threads).to.be.at.least(0)
    }
    expect(load.late.mostMs).to.be.at.least(load.late.p99Ms)
    expect(load.memoryBytes).to.be.greaterThan(1e7)
  })
})
