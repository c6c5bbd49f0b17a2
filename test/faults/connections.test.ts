/** Connections that break at every stage: the server outlives each, keeps none, and loses nothing. */
import { expect } from 'chai'
import { mkdtempSync, readFileSync, rmSync } from 'node:fs'
import { connect, type Socket } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { encodeRecord, INGEST_PATH, INGEST_PROTOCOL } from '@lapsus/core/format'
import { richTake } from '../../packages/core/test/support/rich-take.ts'
import { freshDatabase, until } from '../../packages/server/test/support.ts'
import { isLong } from '../support/extent.ts'
import { otlpJson, takeFile } from './support/corpus.ts'
import { report, SEED } from './support/extent.ts'
import { brokenIn, numbersOf } from './support/frames.ts'
import { Game } from './support/game.ts'
import { randomOf, type Random } from './support/random.ts'
import { forkServer, type ServerProcess } from './support/server.ts'

const RESETS = isLong ? 6_000 : 240
const AT_ONCE = 4
/** A busy machine takes its time; whoever waits longer waits for ever. */
const PATIENCE_MS = 60_000
const GAME = `resets-${SEED}-${process.pid}`

const request = (method: string, target: string, headers: string[], body = Buffer.alloc(0)): Buffer =>
  Buffer.concat([Buffer.from([`${method} ${target} HTTP/1.1`, ...headers, '', ''].join('\r\n')), body])
const handshake = (target: string, host = '127.0.0.1', ...more: string[]): Buffer =>
  request('GET', target, [
    `Host: ${host}`,
    'Connection: Upgrade',
    'Upgrade: websocket',
    'Sec-WebSocket-Version: 13',
    'Sec-WebSocket-Key: AAAAAAAAAAAAAAAAAAAAAA==',
    `Sec-WebSocket-Protocol: ${INGEST_PROTOCOL}`,
    ...more,
  ])

/** A binary message as a client sends it, masked with zeros (RFC 6455, 5.2). */
function frameOf(payload: Uint8Array): Buffer {
  const head = Buffer.alloc(8)
  head.set([0x82, 0x80 | 126])
  head.writeUInt16BE(payload.length, 2)
  return Buffer.concat([head, payload])
}

/** What is sent before the break, and whether the answer so far is waited for. */
interface Stage {
  name: string
  make(random: Random): { bytes: Buffer; afterAnswer: boolean }
}

const cut = (random: Random, bytes: Buffer) => bytes.subarray(0, random.below(bytes.length + 1))
const STAGES: Stage[] = [
  { name: 'before a byte', make: () => ({ bytes: Buffer.alloc(0), afterAnswer: false }) },
  {
    name: 'within the handshake',
    make: (random) => ({ bytes: cut(random, handshake(INGEST_PATH)), afterAnswer: false }),
  },
  { name: 'right after it', make: () => ({ bytes: handshake(INGEST_PATH), afterAnswer: false }) },
  { name: 'after its answer', make: () => ({ bytes: handshake(INGEST_PATH), afterAnswer: true }) },
  {
    name: 'at a refusal',
    make: (random) => ({
      bytes: random.pick([
        handshake('//'),
        handshake('/nowhere'),
        handshake(INGEST_PATH, 'evil.example'),
        handshake(INGEST_PATH, '127.0.0.1', 'Origin: http://evil.example'),
      ]),
      afterAnswer: random.below(2) === 0,
    }),
  },
  {
    name: 'within the records',
    make: (random) => {
      const records = richTake()
      records[0] = {
        ...records[0]!,
        take: `reset-${random.below(2 ** 31)}-${random.below(2 ** 31)}`,
      } as never
      const frames = Buffer.concat(records.map((record) => frameOf(encodeRecord(record))))
      const bytes = Buffer.concat([handshake(INGEST_PATH), cut(random, frames)])
      return { bytes, afterAnswer: random.below(2) === 0 }
    },
  },
  {
    name: 'within an import',
    make: (random) => {
      const file = Buffer.from(takeFile())
      const headers = ['Host: 127.0.0.1', `Content-Length: ${file.length}`]
      return { bytes: cut(random, request('POST', '/api/imports', headers, file)), afterAnswer: false }
    },
  },
  {
    name: 'within traces',
    make: (random) => {
      const traces = Buffer.from(JSON.stringify(otlpJson()))
      const headers = [
        'Host: 127.0.0.1',
        'Content-Type: application/json',
        `Content-Length: ${traces.length}`,
      ]
      return { bytes: cut(random, request('POST', '/v1/traces', headers, traces)), afterAnswer: false }
    },
  },
  {
    name: 'within an answer',
    make: (random) => ({
      bytes: request(
        'GET',
        random.pick([
          '/api/takes',
          '/',
          '/get/lapsus-cli.tgz',
          `/api/takes/${GAME}/file?format=jsonl`,
          `/api/takes/${GAME}/diagnosis`,
        ]),
        ['Host: 127.0.0.1'],
      ),
      afterAnswer: random.below(2) === 0,
    }),
  },
]

describe('connections that are reset', function () {
  this.timeout(isLong ? 1_800_000 : 180_000)
  const folder = mkdtempSync(join(tmpdir(), 'lapsus-connections-'))
  let server: ServerProcess
  let game: Game | null = null

  before(async () => {
    server = await forkServer(await freshDatabase(), folder)
  })
  after(async () => {
    await game?.kill()
    await server?.stop()
    rmSync(folder, { recursive: true, force: true })
  })

  /** Sends, and breaks the connection with a TCP reset: at once, or when something has been answered. */
  function reset(number: number): Promise<void> {
    const random = randomOf(SEED * 1_000_003 + number)
    const stage = STAGES[number % STAGES.length]!
    const { bytes, afterAnswer } = stage.make(random)
    const noAnswer = async () => {
      const load = await fetch(`${server.address}/api/load`).then((response) => response.text(), String)
      const asked = bytes.subarray(0, 80).toString('latin1')
      return new Error(`no answer ${stage.name}, reset ${number}: ${asked}; the server has in hand: ${load}`)
    }
    return new Promise((resolve, reject) => {
      const socket: Socket = connect(Number(new URL(server.address).port), '127.0.0.1')
      const timer = setTimeout(() => void noAnswer().then(reject), PATIENCE_MS)
      socket.on('connect', () => {
        socket.write(bytes, () => {
          if (!afterAnswer) setTimeout(() => socket.resetAndDestroy(), random.below(8))
        })
      })
      socket.on('data', () => socket.resetAndDestroy())
      socket.on('error', () => {})
      socket.on('close', () => {
        clearTimeout(timer)
        resolve()
      })
    })
  }

  /** Connections that the server holds, of games and pages: rows of the kernel's table (proc(5), /proc/net/tcp). */
  function connectionsOf(): number {
    const own = Number(new URL(server.address).port).toString(16).toUpperCase().padStart(4, '0')
    const rows = readFileSync('/proc/net/tcp', 'utf8').split('\n').slice(1)
    const [established, closeWait] = ['01', '08']
    return rows.filter((row) => {
      const [, local, , state] = row.trim().split(/\s+/)
      return local?.endsWith(`:${own}`) && (state === established || state === closeWait)
    }).length
  }

  it(`${RESETS} times, at every stage, while a game records`, async () => {
    game = new Game(server.address, GAME)
    await game.untilAcknowledged(0)
    const before = connectionsOf()
    expect(before).to.be.at.least(1)
    let next = 0
    const work = async () => {
      while (next < RESETS) await reset(next++)
    }
    await Promise.all(Array.from({ length: AT_ONCE }, work))
    expect(server.isAlive()).to.equal(true)
    expect((await fetch(`${server.address}/health`)).status).to.equal(200)
    // One is kept for the next request.
    await until(() => connectionsOf() <= before + 1, 'the server lets go of the broken connections')
    const made = await game.finish()
    const numbers = await numbersOf(server.address, game.take)
    expect(brokenIn(numbers)).to.deep.equal([])
    expect(numbers.length).to.equal(made)
    report('resets', { resets: RESETS, stages: STAGES.length, frames: made })
  })
})
