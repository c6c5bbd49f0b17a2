import type { LedgerAnswer } from '@lapsus/core/questions/ledger'
import { expect } from 'chai'
import type { Miniatures, TakeDetail } from '@lapsus/api'
import { readAnswer } from '@lapsus/core/questions'
import { PAGE } from '@lapsus/core/questions/page'
import {
  endRecord,
  encodeCbor,
  encodeRecord,
  INGEST_PROTOCOL,
  LIMITS,
  type ChunkRecord,
} from '@lapsus/core/format'
import { decodeFrames } from '@lapsus/core/take'
import type { RunningServer } from '../src/index.ts'
import { SIGN_OF_LIFE_MS } from '../src/ingest/recording-port.ts'
import {
  chunkRecord,
  declareRecord,
  node,
  takeRecord,
  totalOf,
  type FrameSpec,
} from '../../core/test/support/takes.ts'
import { freshDatabase, getJson, TestGame, testServer, until } from './support.ts'

const MS = 1_000_000
const MARKERS = [
  { name: 'sim', group: 'simulation' },
  { name: 'moths' },
  { name: 'wait', kind: 'wait:refresh' as const },
]

const frame = (i: number): FrameSpec => ({
  lanes: [
    [node(0, (2 + (i % 5)) * MS, [node(1, 1 * MS + i), node(1, 500)]), node(2, 8 * MS)],
    [node(1, i * 10)],
  ],
  restNs: 100,
})
const FRAMES_PER_CHUNK = 10

/** Chunk `i` of an endless take. */
function chunk(i: number): ChunkRecord {
  const frames = Array.from({ length: FRAMES_PER_CHUNK }, (_, f) => frame(i * FRAMES_PER_CHUNK + f))
  return {
    ...chunkRecord(i + 2, frames, startOf(i * FRAMES_PER_CHUNK)),
    gauges: [{ gauge: 0, frame: Uint32Array.of(0, 3), value: Float64Array.of(i, i + 0.5) }],
    moments: [{ name: 'bell', atNs: startOf(i * FRAMES_PER_CHUNK + 4) + 5, data: { chunk: i } }],
  }
}

function startOf(frames: number): number {
  let at = 0
  for (let i = 0; i < frames; i++)
    at += frame(i).lanes[0]!.reduce((sum, span) => sum + totalOf(span), 0) + 100
  return at
}

const declare = declareRecord(1, MARKERS, ['main', 'worker 1'])

describe('ingest', () => {
  let server: RunningServer
  before(async () => {
    server = await testServer()
  })
  after(() => server.stop())

  const framesOf = async (take: string) =>
    decodeFrames(
      new Uint8Array(await (await fetch(`${server.address}/api/takes/${take}/frames`)).arrayBuffer()),
    )
  const page = async (take: string, n: number) =>
    readAnswer(
      PAGE,
      new Uint8Array(await (await fetch(`${server.address}/api/takes/${take}/pages/${n}`)).arrayBuffer()),
    )

  it('stores a take and gives back its frames, pages, gauges and moments', async () => {
    const game = await TestGame.connect(server)
    game.send(takeRecord({ take: 'whole-take' }))
    game.send(declare)
    for (let i = 0; i < 3; i++) game.send(chunk(i))
    game.send(endRecord(5, 4))
    await game.untilAcknowledged(5)
    await until(
      async () => (await getJson<TakeDetail>(server, '/api/takes/whole-take')).figures !== null,
      'figures',
    )
    const take = await getJson<TakeDetail>(server, '/api/takes/whole-take')
    expect(take).to.include({
      state: 'complete',
      frames: 30,
      spans: 150,
      dropped: 4,
      game: 'Test Game',
      target: 60,
    })
    expect(take.conditions).to.deep.equal({ device: 'bench', seed: 7 })
    expect(take.figures!.work.worst).to.be.closeTo(7.0006, 0.001)
    const pictures = await getJson<Miniatures>(server, '/api/miniatures?takes=whole-take,not-there')
    expect(Object.keys(pictures)).to.deep.equal(['whole-take'])
    expect(pictures['whole-take']!.worstUs).to.have.length(30)
    expect(take.moments.map(({ name, frame, data }) => [name, frame, data])).to.deep.equal([
      ['bell', 4, { chunk: 0 }],
      ['bell', 14, { chunk: 1 }],
      ['bell', 24, { chunk: 2 }],
    ])
    const frames = await framesOf('whole-take')
    expect(frames.startNs[17]).to.equal(startOf(17))
    expect(frames.waitNs.refresh[17]).to.equal(8 * MS)
    const shown = await page('whole-take', 13)
    expect(shown.startNs).to.equal(startOf(13))
    expect([...shown.path].map((path) => take.paths[path]!.marker)).to.deep.equal([0, 1, 1, 2, 1])
    expect([...shown.path].map((path) => take.paths[path]!.lane)).to.deep.equal([0, 0, 0, 0, 1])
    expect(shown.spanDurationNs[1]).to.equal(1 * MS + 13)
    expect(shown.gauges).to.deep.equal([{ gauge: 0, value: 1.5 }])
  })

  it('survives a broken connection: what was re-sent is stored once, nothing is lost', async () => {
    const first = await TestGame.connect(server)
    first.send(takeRecord({ take: 'broken-take' }))
    first.send(declare)
    for (let i = 0; i < 4; i++) first.send(chunk(i))
    await first.untilAcknowledged(3)
    first.vanish()
    const second = await TestGame.connect(server)
    second.send(takeRecord({ take: 'broken-take' }))
    await second.untilAcknowledged(3)
    // Sends everything again, as a probe whose acknowledgements were lost would.
    second.send(declare)
    for (let i = 0; i < 6; i++) second.send(chunk(i))
    second.send(endRecord(8, 0))
    await second.untilAcknowledged(8)
    const frames = await framesOf('broken-take')
    expect(frames.startNs.length).to.equal(60)
    expect([...frames.startNs]).to.deep.equal(Array.from({ length: 60 }, (_, i) => startOf(i)))
    expect(await getJson<TakeDetail>(server, '/api/takes/broken-take')).to.include({ frames: 60, spans: 300 })
    expect((await page('broken-take', 55)).spanDurationNs[1]).to.equal(1 * MS + 55)
  })

  it('gives signs of life until all is committed, and none for what it has already', async () => {
    const game = await TestGame.connect(server, {}, INGEST_PROTOCOL)
    game.send(takeRecord({ take: 'told-twice' }))
    game.send(declare)
    game.send(chunk(0))
    await game.untilAcknowledged(2)
    game.send(declare)
    game.send(chunk(0))
    game.send(chunk(1))
    await game.untilAcknowledged(3)
    const heard = game.messages.length
    await new Promise((resolve) => setTimeout(resolve, 3 * SIGN_OF_LIFE_MS))
    expect(game.messages.slice(heard)).to.deep.equal([])
    game.vanish()
  })

  it('answers a ledger of any range from rollups, across levels, exactly', async () => {
    const game = await TestGame.connect(server)
    game.send(takeRecord({ take: 'long-take' }))
    game.send(declare)
    const chunks = 40
    for (let i = 0; i < chunks; i++) game.send(chunk(i))
    await game.untilAcknowledged(chunks + 1)
    for (const [from, to] of [
      [0, 399],
      [0, 0],
      [7, 7],
      [3, 355],
      [10, 19],
      [159, 160],
      [398, 399],
    ] as const) {
      const { rows } = await getJson<LedgerAnswer>(
        server,
        `/api/takes/long-take/ledger?from=${from}&to=${to}`,
      )
      let simNs = 0
      let mothsNs = 0
      for (let i = from; i <= to; i++) {
        simNs += (2 + (i % 5)) * MS
        mothsNs += 1 * MS + i + 500
      }
      const at = (path: number) => rows.find((row) => row.key === path)!
      expect(at(0).selfMs, `${from}–${to}`).to.be.closeTo(simNs / MS, 1e-9)
      expect(at(1).selfMs).to.be.closeTo(mothsNs / MS, 1e-9)
      expect(at(1)).to.include({ calls: 2 * (to - from + 1), frames: to - from + 1 })
      expect(at(0).totalMs).to.be.closeTo((simNs + mothsNs) / MS, 1e-9)
      expect(at(1).worstFrame).to.equal(to)
    }
    const markers = await getJson<LedgerAnswer>(server, '/api/takes/long-take/ledger?from=0&to=9&by=marker')
    expect(markers.rows).to.have.length(4)
    game.vanish()
  })

  it('refuses a malformed record by name, keeps what came before, and stays up', async () => {
    const game = await TestGame.connect(server)
    const head = encodeRecord(takeRecord({ take: 'bad-take' }))
    const declared = encodeRecord(declare)
    const good = encodeRecord(chunk(0))
    game.send(head)
    game.send(declared)
    game.send(good)
    game.send(encodeCbor({ record: 'chunk', sequence: 3, frames: { start: [-5], duration: [1] } }))
    game.send(chunk(2))
    await game.untilClosed()
    const refusal = game.messages.find((message) => 'refused' in message)
    const offset = head.length + declared.length + good.length
    expect(refusal!.refused.message).to.equal(
      `record 3 at byte ${offset}: expected "start[0]" to be a finite number from 0 to 9007199254740991, got -5`,
    )
    expect((await framesOf('bad-take')).startNs.length).to.equal(FRAMES_PER_CHUNK)
    await until(
      async () => (await getJson<TakeDetail>(server, '/api/takes/bad-take')).state === 'cut-short',
      'cut short',
    )
    expect((await fetch(`${server.address}/health`)).status).to.equal(200)
  })

  it('refuses noise, foreign records, gaps and undeclared markers', async () => {
    const refusal = async (...records: Uint8Array[]) => {
      const game = await TestGame.connect(server)
      for (const record of records) game.send(record)
      await game.untilClosed()
      return game.messages.flatMap((message) => ('refused' in message ? [message.refused.code] : []))
    }
    expect(await refusal(Buffer.from('GET / HTTP/1.1'))).to.deep.equal(['not-cbor'])
    expect(await refusal(encodeCbor([1, 2, 3]))).to.deep.equal(['not-a-take'])
    expect(await refusal(encodeRecord(declare))).to.deep.equal(['not-a-take'])
    const take = (id: string) => encodeRecord(takeRecord({ take: id }))
    expect(await refusal(take('gap-take-1'), encodeRecord(chunk(5)))).to.deep.equal(['out-of-sequence'])
    expect(await refusal(take('none-declared'), encodeRecord({ ...chunk(0), sequence: 1 }))).to.deep.equal([
      'bad-field',
    ])
    const oversized = encodeCbor({ record: 'end', sequence: 1, filler: new Uint8Array(LIMITS.recordBytes) })
    expect(await refusal(take('oversized-take'), oversized)).to.deep.equal(['too-large'])
    expect(await refusal(encodeRecord(takeRecord({ take: 'whole-take', game: 'Another' })))).to.deep.equal([
      'bad-field',
    ])
  })

  it('hangs up, without refusing, when a commit fails, so that the game tries again', async () => {
    const game = await TestGame.connect(server)
    game.send(takeRecord({ take: 'taken-over' }))
    game.send(declare)
    await game.untilAcknowledged(1)
    // As if another server had committed the next chunk meanwhile.
    await server.store.takes.update({ lastSequence: 2 }, { where: { id: 'taken-over' } })
    game.send(chunk(0))
    await game.untilClosed()
    expect(game.closeCode).to.equal(1013)
    expect(game.messages.every((message) => 'ack' in message)).to.equal(true)
    const again = await TestGame.connect(server)
    again.send(takeRecord({ take: 'taken-over' }))
    await again.untilAcknowledged(2)
    again.vanish()
  })

  it('takes a take of no frames and one of a single frame', async () => {
    const game = await TestGame.connect(server)
    game.send(takeRecord({ take: 'empty-take' }))
    game.send(endRecord(1, 0))
    await game.untilAcknowledged(1)
    expect(await getJson<TakeDetail>(server, '/api/takes/empty-take')).to.include({
      frames: 0,
      figures: null,
    })
    expect((await framesOf('empty-take')).startNs.length).to.equal(0)
    expect((await fetch(`${server.address}/api/takes/empty-take/pages/0`)).status).to.equal(404)
    const single = await TestGame.connect(server)
    single.send(takeRecord({ take: 'single-take' }))
    single.send(declare)
    single.send(chunkRecord(2, [frame(0)]))
    single.send(endRecord(3, 0))
    await single.untilAcknowledged(3)
    await until(
      async () => (await getJson<TakeDetail>(server, '/api/takes/single-take')).figures !== null,
      'figures',
    )
    const { rows } = await getJson<LedgerAnswer>(server, '/api/takes/single-take/ledger?from=0&to=0')
    expect(rows.find((row) => row.key === 0)!.selfP99Ms).to.be.closeTo(2, 0.002)
  })

  it('keeps the same name of other Hosts and Origins out', async () => {
    await TestGame.connect(server, { Origin: 'http://localhost:9999' }).then((game) => game.vanish())
    const refused = (headers: Record<string, string>) =>
      TestGame.connect(server, headers).then(
        () => 'in',
        (error: Error) => error.message,
      )
    expect(await refused({ Origin: 'http://evil.example' })).to.contain('403')
    expect(await refused({ Host: 'evil.example' })).to.contain('403')
  })
})

describe('graceful stop', () => {
  it('loses nothing that was acknowledged, and a new server goes on where the old one stopped', async () => {
    const databaseUrl = await freshDatabase()
    const first = await testServer({ databaseUrl })
    const game = await TestGame.connect(first)
    game.send(takeRecord({ take: 'stopped-take' }))
    game.send(declare)
    for (let i = 0; i < 20; i++) game.send(chunk(i))
    await game.untilAcknowledged(3)
    await first.stop()
    const { acknowledged } = game
    expect(acknowledged).to.be.at.least(3)

    const second = await testServer({ databaseUrl })
    const again = await TestGame.connect(second)
    again.send(takeRecord({ take: 'stopped-take' }))
    await until(() => again.messages.length > 0, 'the server says what it has')
    expect(again.acknowledged).to.be.at.least(acknowledged)
    for (let i = again.acknowledged - 1; i < 20; i++) again.send(chunk(i))
    await again.untilAcknowledged(21)
    const bytes = await (await fetch(`${second.address}/api/takes/stopped-take/frames`)).arrayBuffer()
    expect([...decodeFrames(new Uint8Array(bytes)).startNs]).to.deep.equal(
      Array.from({ length: 200 }, (_, i) => startOf(i)),
    )
    await second.stop()
  })
})
