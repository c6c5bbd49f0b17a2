/**
 * What senders do about what a server says: each line of the table in core/format/answers, said by a server that is a
 * script, to every sender there is. docs/format.md, "Answers".
 */
import { expect } from 'chai'
import { spawn, spawnSync } from 'node:child_process'
import { existsSync, mkdtempSync, readdirSync, readFileSync, rmSync, statSync } from 'node:fs'
import { createServer, type IncomingMessage, type ServerResponse } from 'node:http'
import type { AddressInfo } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { gunzipSync } from 'node:zlib'
import { WebSocketServer, type WebSocket } from 'ws'
import { postedRecords } from '@lapsus/core/exchange'
import {
  ACTIONS,
  ANSWERS,
  chained,
  decodeRecord,
  INGEST_PROTOCOL,
  type AnyRecord,
  type Answer,
  type TakeRecord,
} from '@lapsus/core/format'
import { buildSync } from 'esbuild'
import { isLong } from './support/extent.ts'
import { ROOT } from './support/npm-start.ts'

const KEY = 'a-key-that-is-long-enough'
const own = (path: string) => join(ROOT, 'test/emitters', path)
/** Those of every run of the tests; all are held to the table by `npm run test:long`. */
const SHORT = ['Python', 'C']
/** How many games run at once: each is to have time for its frames. */
const AT_ONCE = 3

interface Sender {
  name: string
  build?(folder: string): [string, string[]]
  /** With two empty places for address and ms. */
  program(folder: string): [string, string[]]
  /** Whether it can leave a file. */
  spools: boolean
}

const SENDERS: Sender[] = [
  {
    name: 'Node',
    program: (folder) => [process.execPath, [join(folder, 'pulse.mjs'), '', '', 'node']],
    spools: true,
  },
  {
    name: 'a page',
    program: (folder) => [process.execPath, [join(folder, 'pulse.mjs'), '', '', 'page']],
    spools: false,
  },
  { name: 'Python', program: () => ['python3', [own('pulse.py'), '', '']], spools: true },
  {
    name: 'C',
    build: (folder) => [
      'gcc',
      ['-std=c99', '-O1', '-o', join(folder, 'pulse'), own('pulse.c'), '-pthread', '-lm'],
    ],
    program: (folder) => [join(folder, 'pulse'), ['', '']],
    spools: true,
  },
  { name: 'Lua', program: () => ['lua5.4', [own('pulse.lua'), '', '']], spools: true },
  {
    name: 'C#',
    build: (folder) => [
      'mcs',
      [`-out:${join(folder, 'pulse.exe')}`, own('Pulse.cs'), join(ROOT, 'emitters/csharp/Lapsus.cs')],
    ],
    program: (folder) => ['mono', [join(folder, 'pulse.exe'), '', '']],
    spools: true,
  },
]

/** What is said instead of what would be true; null where nothing is, and the connection breaks. */
type Said = { status: number; body: Record<string, unknown> } | null

interface Take {
  head: TakeRecord
  records: AnyRecord[]
  stored: number
  chain: number
}

/** A server that stores in memory, and says something else where its script wants it to. */
class ScriptedServer {
  readonly takes = new Map<string, Take>()
  keys: (string | undefined)[] = []
  /** Asked before each answer; undefined for the truth. */
  script: (hit: number, take: Take) => Said | undefined = () => undefined
  #hits = 0
  readonly #http = createServer((request, response) => void this.#post(request, response))
  readonly #sockets = new WebSocketServer({
    noServer: true,
    handleProtocols: () => INGEST_PROTOCOL,
  })

  async start(): Promise<string> {
    this.#http.on('upgrade', (request, socket, head) =>
      this.#sockets.handleUpgrade(request, socket, head, (webSocket) => this.#stream(webSocket, request)),
    )
    await new Promise<void>((resolve) => this.#http.listen(0, '127.0.0.1', resolve))
    return `127.0.0.1:${(this.#http.address() as AddressInfo).port}`
  }

  async stop(): Promise<void> {
    for (const client of this.#sockets.clients) client.terminate()
    this.#http.closeAllConnections()
    await new Promise((resolve) => this.#http.close(resolve))
  }

  #takeOf(head: TakeRecord): Take {
    const known = this.takes.get(head.take)
    if (known !== undefined) return known
    const take = { head, records: [], stored: head.after ?? 0, chain: 0 }
    this.takes.set(head.take, take)
    return take
  }

  #store(take: Take, record: AnyRecord, bytes: Uint8Array): void {
    if (record.record === 'take' || record.sequence !== take.stored + 1) return
    take.records.push(record)
    take.stored = record.sequence
    take.chain = chained(take.chain, bytes)
  }

  async #post(request: IncomingMessage, response: ServerResponse): Promise<void> {
    const pieces: Buffer[] = []
    for await (const piece of request) pieces.push(piece as Buffer)
    const body = Buffer.concat(pieces)
    this.keys.push(request.headers.authorization?.replace('Bearer ', ''))
    const all = [...postedRecords(request.headers['content-encoding'] === 'gzip' ? gunzipSync(body) : body)]
    const take = this.#takeOf(all[0]!.record as TakeRecord)
    const said = this.script(this.#hits++, take)
    if (said === null) {
      response.destroy()
      return
    }
    if (said === undefined) for (const { record, bytes } of all) this.#store(take, record, bytes)
    const { status, body: answer } = said ?? {
      status: 200,
      body: { ack: take.stored, chain: take.chain, orders: [], notes: [] },
    }
    response.writeHead(status, { 'content-type': 'application/json' }).end(JSON.stringify(answer))
  }

  /** A stream has no status: a refusal is a message, anything else that is not well a connection that breaks. */
  #stream(socket: WebSocket, request: IncomingMessage): void {
    this.keys.push(new URL(request.url!, 'http://here').searchParams.get('key') ?? undefined)
    let take: Take | null = null
    const say = (message: object) => socket.send(JSON.stringify(message))
    socket.on('error', () => {})
    socket.on('message', (data: Buffer) => {
      const record = decodeRecord(data, { record: take === null ? 0 : 1, offset: 0 })
      if (record.record === 'take') {
        take = this.#takeOf(record)
        say({ type: 'ack', ack: take.stored, chain: take.chain })
        return
      }
      const said = this.script(this.#hits++, take!)
      if (said === undefined) {
        this.#store(take!, record, data)
        say({ type: 'ack', ack: take!.stored, chain: take!.chain })
        return
      }
      const { code, detail, ack, chain } = said?.body ?? {}
      if (said?.status === 200) say({ type: 'ack', ack, chain })
      else if (code !== undefined && code !== 'busy' && code !== 'out-of-sequence') {
        say({ type: 'refused', refused: { code, message: detail } })
        socket.close(1008)
      } else socket.terminate()
    })
  }
}

interface Played {
  frames: number
  words: string
  server: ScriptedServer
  /** What it left, by the ending of its name. */
  left: string[]
  folder: string
}

const framesOf = (takes: Iterable<Take>): number =>
  [...takes]
    .flatMap(({ records }) => records)
    .reduce((sum, record) => sum + (record.record === 'chunk' ? record.frameStartNs.length : 0), 0)

/** So many at once. */
async function inTurns(work: (() => Promise<void>)[]): Promise<void> {
  const waiting = [...work]
  const one = async () => {
    for (let next = waiting.shift(); next !== undefined; next = waiting.shift()) await next()
  }
  await Promise.all(Array.from({ length: AT_ONCE }, one))
}

const problem = (status: number, body: Record<string, unknown>): Said => ({
  status,
  body: { detail: 'said by the script', ...body },
})

describe('what a server answers', function () {
  this.timeout(240_000)
  const folder = mkdtempSync(join(tmpdir(), 'lapsus-answers-'))
  let plays = 0
  before(() => {
    buildSync({
      ...{
        entryPoints: [own('pulse.ts')],
        outfile: join(folder, 'pulse.mjs'),
        bundle: true,
        platform: 'node',
      },
      ...{ format: 'esm', logLevel: 'error' },
      banner: {
        js: "import { createRequire } from 'node:module'; const require = createRequire(import.meta.url)",
      },
    })
    for (const { build } of SENDERS) {
      if (build === undefined) continue
      const [program, args] = build(folder)
      const { status, stderr } = spawnSync(program, args, { encoding: 'utf8' })
      expect(status, stderr).to.equal(0)
    }
  })
  after(() => rmSync(folder, { recursive: true }))

  async function play(sender: Sender, ms: number, script: ScriptedServer['script']): Promise<Played> {
    const server = new ScriptedServer()
    server.script = script
    const to = await server.start()
    const spool = join(folder, `spool-${plays++}`)
    const [program, args] = sender.program(folder)
    const places = [to, String(ms)]
    const child = spawn(
      program,
      args.map((one) => (one === '' ? places.shift()! : one)),
      {
        ...{ cwd: ROOT, stdio: ['ignore', 'pipe', 'pipe'] },
        env: { ...process.env, LAPSUS_SPOOL: spool, LAPSUS_KEY: KEY },
      },
    )
    let [out, words] = ['', '']
    child.stdout!.on('data', (data) => (out += data))
    child.stderr!.on('data', (data) => (words += data))
    const code = await new Promise((resolve) => child.once('close', resolve))
    await server.stop()
    expect(code, words).to.equal(0)
    const left = existsSync(spool) ? readdirSync(spool) : []
    return {
      frames: Number(out),
      words,
      server,
      folder: spool,
      left: left.map((name) => name.replace(/^.*\.spool(\.jsonl)?/, '')),
    }
  }

  /** For the first hits. */
  const atFirst = (said: Said) => (hit: number) => (hit < 2 ? said : undefined)
  /** Once something is stored. */
  const later = (said: (take: Take) => Said) => (_hit: number, take: Take) =>
    take.stored < 2 ? undefined : said(take)

  /** Of the table, what is tried of each. */
  function answerOf({ status, code, ack }: Answer): (take: Take) => Said {
    if (status === null) return () => null
    return (take) =>
      problem(status, {
        ...(code === null ? {} : { code }),
        ...(ack === null ? {} : { ack: ack === 'more' ? take.stored + 1_000 : take.stored }),
      })
  }

  for (const sender of SENDERS.filter(({ name }) => isLong || SHORT.includes(name))) {
    it(`is heeded by ${sender.name} as the table has it`, async () => {
      const { spools } = sender
      const every = ANSWERS.filter(({ ack }) => ack !== 'less')
      await inTurns(
        every.map((answer) => async () => {
          const what = `${sender.name}: ${answer.status} ${answer.code}, ${answer.says}`
          if (answer.then === 'go-on') {
            const { frames, server, words, left } = await play(sender, 1_300, () => undefined)
            expect(framesOf(server.takes.values()), what).to.equal(frames)
            expect([words, left], what).to.deep.equal(['', []])
            expect(server.keys[0]).to.equal(KEY)
            return
          }
          if (answer.then === 'again') {
            const { frames, server, words, left } = await play(sender, 1_300, (hit, take) =>
              atFirst(answerOf(answer)(take))(hit),
            )
            expect(framesOf(server.takes.values()), `${what}: ${words}`).to.equal(frames)
            expect([server.takes.size, left], what).to.deep.equal([1, []])
            expect(words, what).not.to.contain('refused')
            // Each thing is said once.
            const lines = words.split('\n').filter((line) => line !== '')
            expect(new Set(lines).size, what).to.equal(lines.length)
            return
          }
          const {
            server,
            words,
            left,
            folder: spool,
            frames,
          } = await play(sender, 1_600, later(answerOf(answer)))
          expect(framesOf(server.takes.values()), what).to.be.lessThan(frames)
          expect(words, what).to.contain('the recording ends')
          if (answer.ack !== 'more') expect(words, what).to.contain('said by the script')
          const expected = !spools
            ? []
            : { drop: [], 'set-aside': ['.refused'], keep: [''] }[answer.then as 'drop']
          expect(
            left.filter((name) => name !== '.key'),
            what,
          ).to.deep.equal(expected)
          if (!spools || answer.then === 'drop') return
          const path = join(
            spool,
            readdirSync(spool).find((name) => name.endsWith('.key'))!,
          )
          expect(readFileSync(path, 'utf8'), what).to.equal(KEY)
          for (const name of readdirSync(spool))
            expect(statSync(join(spool, name)).mode & 0o777, name).to.equal(0o600)
        }),
      )
    })

    it(`is heeded by ${sender.name} where the server has less than it had, or something else`, async () => {
      const forget = (take: Take) => {
        take.records = []
        take.stored = take.chain = 0
        return problem(409, { code: 'out-of-sequence', ack: 0 })
      }
      const soon = async () => {
        let has = false
        const { frames, server, words, left } = await play(sender, 1_600, (_hit, take) => {
          if (has || take.stored < 2) return undefined
          has = true
          return forget(take)
        })
        const what = `${sender.name}, soon: ${words}`
        expect([server.takes.size, left], what).to.deep.equal([1, []])
        expect(framesOf(server.takes.values()), what).to.equal(frames)
      }
      const late = async () => {
        let lost = 0
        let begun = 0
        const { frames, server, words, left } = await play(sender, 5_200, (_hit, take) => {
          begun ||= Date.now()
          if (lost > 0 || take.stored < 2 || Date.now() - begun < 3_600) return undefined
          lost = framesOf([take])
          return forget(take)
        })
        const what = `${sender.name}, late: ${words}`
        expect(lost, what).to.be.greaterThan(0)
        expect([server.takes.size, left], what).to.deep.equal([2, []])
        const [old, anew] = [...server.takes.values()] as [Take, Take]
        expect(words, what).to.contain(anew.head.take)
        expect(anew.head, what).to.include({ continues: old.head.take, game: 'Pulse' })
        const [first] = anew.records
        expect(first, what).to.include({ record: 'declare', sequence: anew.head.after! + 1 })
        expect(
          (first as { markers: { name: string }[] }).markers.map(({ name }) => name),
          what,
        ).to.include('beat')
        expect(anew.records.at(-1)!.record, what).to.equal('end')
        // What it kept for two seconds is sent again, what was older is gone.
        expect(framesOf([anew]), what).to.be.within(frames - lost, frames - 1)
      }
      const otherwise = async () => {
        let has = false
        const { server, words } = await play(sender, 2_600, (_hit, take) => {
          if (has || take.stored < 3) return undefined
          has = true
          return { status: 200, body: { ack: take.stored, chain: (take.chain ^ 1) >>> 0 } }
        })
        const what = `${sender.name}, otherwise: ${words}`
        expect(server.takes.size, what).to.equal(2)
        const [old, anew] = [...server.takes.values()] as [Take, Take]
        expect(anew.head.continues, what).to.equal(old.head.take)
        expect(anew.records.at(-1)!.record, what).to.equal('end')
      }
      await Promise.all([soon(), late(), otherwise()])
    })
  }

  it('has an action for each line of the table, in the words of docs/format.md', () => {
    const page = readFileSync(join(ROOT, 'docs/format.md'), 'utf8')
    for (const { then, says } of ANSWERS) {
      expect(ACTIONS).to.have.property(then)
      expect(page).to.contain(says)
    }
    for (const words of Object.values(ACTIONS)) expect(page).to.contain(words)
  })
})
