/** Good input made bad, over every entrance: each gets an answer, none is the server's own fault, none ends it. */
import { decode, encode } from 'cbor2'
import 'cbor2/types'
import { expect } from 'chai'
import { mkdtempSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs'
import { connect } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { gzipSync } from 'node:zlib'
import { WebSocket } from 'ws'
import type { TakeSummary } from '@lapsus/api'
import { encodeRecord, INGEST_PATH, INGEST_PROTOCOL, readIngestMessage } from '@lapsus/core/format'
import { richTake } from '../../packages/core/test/support/rich-take.ts'
import { freshDatabase } from '../../packages/server/test/support.ts'
import { isLong } from '../support/extent.ts'
import { jsonLines, otlpJson, otlpProtobuf, takeFile, timeline } from './support/corpus.ts'
import { report, SEED } from './support/extent.ts'
import { mutateBytes, mutateTree } from './support/mutate.ts'
import { randomOf, type Random } from './support/random.ts'
import { forkServer, type ServerProcess } from './support/server.ts'

/** Inputs at each entrance. */
const COUNTS = isLong
  ? { stream: 25_000, imports: 30_000, traces: 20_000, requests: 20_000, upgrades: 10_000 }
  : { stream: 120, imports: 160, traces: 120, requests: 150, upgrades: 100 }
const AT_ONCE = 6
/** Whoever waits longer has no answer. */
const PATIENCE_MS = 20_000
/** A stream that says nothing more for so long has dealt with what it was sent. */
const QUIET_MS = 80
const TRY_AGAIN = 1013
const MOST_TAKES_READ = isLong ? 1_000 : 30
const MOST_LOG_BYTES = 50 * 1024 * 1024

/** A demo game that describes itself and ends at once: real ones would leave nothing for the rest. */
const DEMO_GAME = 'if (process.argv.includes(\'--describe\')) console.log(\'{"name":"Brief","flaws":[]}\')'

/** What became of an input. */
type Outcome = 'accepted' | 'refused' | { wrong: string }

/** The last errors in a log. */
function complaintsIn(log: string): string {
  const lines = readFileSync(log, 'utf8').trim().split('\n')
  return lines
    .filter((line) => (JSON.parse(line) as { level: number }).level >= 50)
    .slice(-12)
    .join('\n')
}

const outcomeOf = (status: number, text = ''): Outcome =>
  status < 400 ? 'accepted' : status < 500 ? 'refused' : { wrong: `${status} ${text.slice(0, 300)}` }

describe('mutated input', function () {
  this.timeout(isLong ? 3_600_000 : 240_000)
  const folder = mkdtempSync(join(tmpdir(), 'lapsus-mutations-'))
  const log = join(folder, 'server.log')
  let server: ServerProcess
  let address: string
  let protobuf: Uint8Array

  before(async () => {
    writeFileSync(join(folder, 'game.mjs'), DEMO_GAME)
    server = await forkServer(await freshDatabase(), folder, { LAPSUS_DEMO_GAME: join(folder, 'game.mjs') })
    address = server.address
    protobuf = await otlpProtobuf()
  })
  after(async () => {
    await server?.stop()
    rmSync(folder, { recursive: true, force: true })
  })

  /** Tries so many inputs, some at once; each must be answered, and the server be well afterwards. */
  async function tryAll(name: keyof typeof COUNTS, attempt: (random: Random) => Promise<Outcome>) {
    const count = COUNTS[name]
    let next = 0
    let accepted = 0
    let refused = 0
    const wrong: string[] = []
    const work = async () => {
      while (next < count && wrong.length < 20) {
        const number = next++
        // Each input can be made again by its number alone.
        const outcome = await Promise.resolve(randomOf(SEED * 1_000_003 + number))
          .then(attempt)
          .catch((error: Error): Outcome => ({ wrong: error.message }))
        if (outcome === 'accepted') accepted++
        else if (outcome === 'refused') refused++
        else wrong.push(`${name} ${number}: ${outcome.wrong}`)
      }
    }
    await Promise.all(Array.from({ length: AT_ONCE }, work))
    expect(wrong, `the server says: ${complaintsIn(log)}`).to.deep.equal([])
    expect(server.isAlive()).to.equal(true)
    expect((await fetch(`${address}/health`)).status).to.equal(200)
    // Mutations that are all refused at the first byte, or never, would try nothing.
    expect(Math.min(accepted, refused), `${accepted} accepted, ${refused} refused`).to.be.above(0)
    report(name, { inputs: count, accepted, refused })
  }

  const post = async (path: string, body: Uint8Array | string, headers: Record<string, string> = {}) => {
    const response = await fetch(address + path, {
      method: 'POST',
      body: body as BodyInit,
      headers,
      signal: AbortSignal.timeout(PATIENCE_MS),
    })
    return outcomeOf(response.status, await response.text())
  }

  const maybeGzip = (random: Random, bytes: Uint8Array | string): Uint8Array | string =>
    random.below(8) === 0 ? mutateRarely(random, gzipSync(bytes)) : bytes
  const mutateRarely = (random: Random, bytes: Uint8Array) =>
    random.below(2) === 0 ? mutateBytes(random, bytes) : bytes

  /** The records of a take of its own, some of them changed. */
  function mutatedRecords(random: Random): Uint8Array[] {
    const records = richTake()
    records[0] = {
      ...records[0]!,
      take: `mutated-${random.below(2 ** 31)}-${random.below(2 ** 31)}`,
    } as never
    const messages = records.map(encodeRecord)
    const good = [...messages]
    for (let count = 1 + random.below(2); count > 0; count--) {
      const at = random.below(messages.length)
      messages[at] =
        random.below(2) === 0
          ? mutateBytes(random, messages[at]!)
          : encode(mutateTree(random, decode(good[at]!), { json: false }))
    }
    if (random.below(6) === 0) messages.splice(random.below(messages.length), 1)
    if (random.below(6) === 0) messages.splice(random.below(messages.length), 0, random.pick(messages))
    return messages
  }

  it(`${COUNTS.stream} recording streams are acknowledged or refused in words`, () =>
    tryAll('stream', (random) => {
      const messages = mutatedRecords(random)
      return new Promise((resolve) => {
        const socket = new WebSocket(address.replace('http', 'ws') + INGEST_PATH, [INGEST_PROTOCOL])
        let outcome: Outcome = { wrong: 'no word' }
        let quiet: ReturnType<typeof setTimeout> | undefined
        const timer = setTimeout(() => socket.terminate(), PATIENCE_MS)
        socket.on('open', () => {
          for (const message of messages) socket.send(message)
          if (random.below(10) === 0) socket.send('text instead of bytes')
        })
        socket.on('message', (data) => {
          outcome = readIngestMessage(String(data))?.type === 'refused' ? 'refused' : 'accepted'
          // The server goes on waiting for records where there was nothing to refuse.
          clearTimeout(quiet)
          quiet = setTimeout(() => socket.close(), QUIET_MS)
        })
        socket.on('error', (error) => (outcome = { wrong: error.message }))
        socket.on('close', (code) => {
          clearTimeout(timer)
          clearTimeout(quiet)
          // To be told to try again means that the database did not take it.
          resolve(code === TRY_AGAIN ? { wrong: 'not stored' } : outcome)
        })
      })
    }))

  it(`${COUNTS.imports} files of every format are imported or refused`, () => {
    const formats = [
      (random: Random) => Buffer.concat(mutatedRecords(random)),
      (random: Random) => mutateBytes(random, takeFile()),
      (random: Random) =>
        jsonLines()
          .map((line) =>
            JSON.stringify(random.below(3) === 0 ? mutateTree(random, line, { json: true }) : line),
          )
          .join('\n'),
      (random: Random) => JSON.stringify(mutateTree(random, otlpJson(), { json: true })),
      (random: Random) => mutateBytes(random, Buffer.from(JSON.stringify(otlpJson()))),
      (random: Random) => JSON.stringify(mutateTree(random, timeline(), { json: true })),
      (random: Random) =>
        random.pick(['[', '{"a":', '{"entries":[', '\n', '{}\n']).repeat(random.below(50_000)),
      (random: Random) => mutateBytes(random, Buffer.from(JSON.stringify(timeline()))),
    ]
    return tryAll('imports', (random) =>
      post('/api/imports', maybeGzip(random, random.pick(formats)(random) ?? '')),
    )
  })

  it(`${COUNTS.traces} trace requests, in both encodings, are answered`, () => {
    const json = { 'content-type': 'application/json' }
    const binary = { 'content-type': 'application/x-protobuf' }
    return tryAll('traces', (random) => {
      const kind = random.below(3)
      const body =
        kind === 0
          ? JSON.stringify(mutateTree(random, otlpJson(), { json: true }))
          : mutateBytes(random, kind === 1 ? Buffer.from(JSON.stringify(otlpJson())) : protobuf)
      const isPacked = random.below(8) === 0
      return post('/v1/traces', isPacked ? mutateRarely(random, gzipSync(body ?? '')) : (body ?? ''), {
        ...(kind === 2 ? binary : json),
        ...(isPacked ? { 'content-encoding': 'gzip' } : {}),
      })
    })
  })

  /** Sends bytes over a bare connection, closes its half, and reads to the end. */
  function raw(bytes: Uint8Array): Promise<string> {
    return new Promise((resolve, reject) => {
      const socket = connect(Number(new URL(address).port), '127.0.0.1', () => socket.end(bytes))
      let text = ''
      const timer = setTimeout(() => {
        socket.destroy()
        reject(new Error(`no end of ${JSON.stringify(Buffer.from(bytes).toString('latin1').slice(0, 400))}`))
      }, PATIENCE_MS)
      socket.on('data', (data) => (text += data.toString('latin1')))
      socket.on('error', () => {})
      socket.on('close', () => {
        clearTimeout(timer)
        resolve(text)
      })
    })
  }
  const statusOf = (answer: string): number => Number(/^HTTP\/1\.1 (\d{3})/.exec(answer)?.[1] ?? 0)

  const PATHS = [
    '/api/games',
    '/api/takes?game=Test%20Game&state=complete',
    '/api/takes/test-take-1',
    '/api/takes/test-take-1/pages/1',
    '/api/takes/test-take-1/ledger?from=0&to=1&by=path',
    '/api/takes/test-take-1/frames',
    '/api/takes/test-take-1/file?format=csv',
    '/api/takes/test-take-1/diagnosis?from=0&to=1&target=30',
    '/api/takes/test-take-1/memory',
    '/api/takes/test-take-1/roster?from=0&to=1',
    '/api/takes/test-take-1/waiting?recorder=without',
    '/api/takes/test-take-1/scaling?path=0&loads=frame',
    '/api/takes/test-take-1/course?paths=0,1',
    '/api/takes/test-take-1/study',
    '/api/takes/test-take-1/plans',
    '/api/takes/test-take-1/budgets',
    '/api/takes/test-take-1/set-aside/2',
    '/api/storage',
    '/api/deleted-takes',
    '/health',
    '/get/lapsus-probe.js',
    '/games/moth-post/',
    '/',
  ]
  const BODIES: [string, string, unknown][] = [
    ['PATCH', '/api/takes/test-take-1', { name: 'A', note: 'b', tags: ['c'] }],
    ['POST', '/api/takes/test-take-1/excerpts', { from: 0, to: 1, name: 'x' }],
    ['POST', '/api/takes/test-take-1/keep', { cause: 'now' }],
    ['PUT', '/api/takes/test-take-1/marks', { finding: 'often:a', mark: 'known' }],
    ['PUT', '/api/takes/test-take-1/budgets', { device: 'bench', shares: [{ group: 'a', share: 0.5 }] }],
    ['POST', '/api/takes/test-take-1/plans', { name: 'Plan', items: [] }],
    ['POST', '/api/session', { password: 'a' }],
    ['POST', '/api/recordings', { seconds: 1, flaws: [] }],
  ]

  it(`${COUNTS.requests} requests over a bare connection are answered`, async () => {
    await post('/api/imports', takeFile())
    await tryAll('requests', async (random) => {
      let method = 'GET'
      let path = random.pick(PATHS)
      let body = ''
      if (random.below(3) === 0) {
        let value: unknown
        ;[method, path, value] = random.pick(BODIES)
        body = JSON.stringify(random.below(3) > 0 ? mutateTree(random, value, { json: true }) : value) ?? ''
      }
      if (random.below(2) === 0) path = Buffer.from(mutateBytes(random, Buffer.from(path))).toString('latin1')
      const head = `${method} ${path} HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Type: application/json\r\nContent-Length: ${Buffer.byteLength(body)}\r\nConnection: close\r\n\r\n`
      const asMade = Buffer.concat([Buffer.from(head, 'latin1'), Buffer.from(body)])
      const bytes = random.below(4) === 0 ? mutateBytes(random, asMade) : asMade
      const answer = await raw(bytes)
      // What is no request, or no whole one, may be hung up on.
      const status = statusOf(answer)
      if (status === 0 && bytes === asMade) return { wrong: `no answer to ${head}` }
      return status === 0 ? 'refused' : outcomeOf(status, answer.split('\r\n\r\n')[1])
    })
  })

  it(`${COUNTS.upgrades} handshakes are made or refused`, () =>
    tryAll('upgrades', async (random) => {
      const handshake = `GET ${INGEST_PATH}?key=a HTTP/1.1\r\nHost: 127.0.0.1\r\nConnection: Upgrade\r\nUpgrade: websocket\r\nSec-WebSocket-Version: 13\r\nSec-WebSocket-Key: AAAAAAAAAAAAAAAAAAAAAA==\r\nSec-WebSocket-Protocol: ${INGEST_PROTOCOL}\r\nOrigin: http://127.0.0.1:3000\r\n\r\n`
      const status = statusOf(await raw(mutateBytes(random, Buffer.from(handshake))))
      return status === 101 ? 'accepted' : status === 0 ? 'refused' : outcomeOf(status)
    }))

  it('leaves nothing behind that cannot be read', async () => {
    const takes = (await (await fetch(`${address}/api/takes`)).json()) as TakeSummary[]
    expect(takes.length).to.be.above(0)
    const random = randomOf(SEED)
    const wrong: string[] = []
    for (let i = 0; i < Math.min(MOST_TAKES_READ, takes.length); i++) {
      const take = takes.length > MOST_TAKES_READ ? random.pick(takes) : takes[i]!
      for (const view of [
        '',
        '/frames',
        '/pages/0',
        '/ledger?from=0&to=0&by=path',
        '/diagnosis',
        '/file?format=jsonl',
        '/file?format=otlp',
      ]) {
        const path = `/api/takes/${take.id}${view}`
        const response = await fetch(address + path, { signal: AbortSignal.timeout(PATIENCE_MS) })
        // One without frames has no page.
        if (response.status >= 500) wrong.push(`${path}: ${response.status} ${await response.text()}`)
        else await response.arrayBuffer().catch((error: Error) => wrong.push(`${path}: ${error.message}`))
      }
    }
    expect(wrong).to.deep.equal([])
    report('readBack', { takes: Math.min(MOST_TAKES_READ, takes.length) })
  })

  it('still takes a good take, and has kept its log short', async () => {
    const records = richTake()
    records[0] = { ...records[0]!, take: 'good-after-all' } as never
    const file = takeFile(records)
    expect(await post('/api/imports', file)).to.equal('accepted')
    const back = await fetch(`${address}/api/takes/good-after-all/file?format=lapsus`)
    expect(Buffer.from(await back.arrayBuffer()).equals(Buffer.from(file))).to.equal(true)
    expect(statSync(log).size).to.be.below(MOST_LOG_BYTES)
  })
})
