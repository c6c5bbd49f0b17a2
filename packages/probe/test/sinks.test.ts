import { expect } from 'chai'
import { execFileSync } from 'node:child_process'
import { createHash } from 'node:crypto'
import { mkdtempSync, readFileSync, rmSync } from 'node:fs'
import type { AddressInfo } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { Worker } from 'node:worker_threads'
import { buildSync } from 'esbuild'
import { WebSocket, WebSocketServer } from 'ws'
import { FileSink } from '../src/sinks/file.ts'
import { WebSocketSink, type Socket } from '../src/sinks/websocket.ts'
import { makeProbe, MemorySink, readBack, sleep, until } from './support.ts'

const connect = (url: string) => new WebSocket(url) as unknown as Socket
const MB = 2 ** 20

/** A server that keeps what it gets and acknowledges only when told to. */
class PatientServer {
  readonly got: Uint8Array[] = []
  readonly paths: (string | undefined)[] = []
  acknowledged = 0
  readonly #server = new WebSocketServer({ host: '127.0.0.1', port: 0 })
  readonly #sockets = new Set<WebSocket>()

  static async start(): Promise<PatientServer> {
    const made = new PatientServer()
    await new Promise((resolve) => made.#server.once('listening', resolve))
    return made
  }

  private constructor() {
    this.#server.on('connection', (socket, request) => {
      this.paths.push(request.url)
      this.#sockets.add(socket)
      socket.on('close', () => this.#sockets.delete(socket))
      let first = true
      socket.on('message', (data: Buffer) => {
        if (first) this.acknowledge(this.acknowledged)
        else this.got.push(data)
        first = false
      })
    })
  }
  get port(): number {
    return (this.#server.address() as AddressInfo).port
  }
  get url(): string {
    return `ws://127.0.0.1:${this.port}`
  }
  say(message: object): void {
    for (const socket of this.#sockets) socket.send(JSON.stringify(message))
  }
  acknowledge(sequence: number): void {
    this.acknowledged = sequence
    this.say({ type: 'ack', ack: sequence })
  }
  hangUp(): void {
    for (const socket of this.#sockets) socket.terminate()
  }
  async stop(): Promise<void> {
    this.hangUp()
    await new Promise((resolve) => this.#server.close(resolve))
  }
}

describe('WebSocket sink', () => {
  const bytes = (n: number) => Uint8Array.of(n)

  it('waits for the server to say what it has, then sends in order and keeps until acknowledged', async () => {
    const server = await PatientServer.start()
    const sink = new WebSocketSink([server.url], connect, MB, () => {})
    sink.put(bytes(0), 0)
    for (const n of [1, 2, 3]) sink.put(bytes(n), n)
    await until(() => server.got.length === 3, 'three records arrive')
    expect(server.got.map((record) => record[0])).to.deep.equal([1, 2, 3])
    let closed = false
    const closing = sink.close().then(() => (closed = true))
    server.acknowledge(2)
    await sleep(50)
    expect(closed).to.equal(false)
    server.acknowledge(3)
    await closing
    await server.stop()
  })

  it('sends again what was not acknowledged after the connection broke', async () => {
    const server = await PatientServer.start()
    const sink = new WebSocketSink([server.url], connect, MB, () => {})
    sink.put(bytes(0), 0)
    for (const n of [1, 2, 3]) sink.put(bytes(n), n)
    await until(() => server.got.length === 3, 'three records arrive')
    server.acknowledge(1)
    await sleep(50)
    server.got.length = 0
    server.hangUp()
    sink.put(bytes(4), 4)
    await until(() => server.got.length === 3, 'three records arrive again')
    expect(server.got.map((record) => record[0])).to.deep.equal([2, 3, 4])
    server.acknowledge(4)
    await sink.close()
    await server.stop()
  })

  it('goes over to the next address when one fails, and round to the first again', async () => {
    const servers = [await PatientServer.start(), await PatientServer.start()] as const
    const [one, other] = servers
    const sink = new WebSocketSink(['ws://127.0.0.1:1', one.url, other.url], connect, MB, () => {})
    sink.put(bytes(0), 0)
    sink.put(bytes(1), 1)
    await until(() => one.got.length === 1, 'the second address is used')
    one.acknowledge(1)
    other.acknowledged = 1
    sink.put(bytes(2), 2)
    await until(() => one.got.length === 2, 'it goes on there')
    await one.stop()
    await until(() => other.got.length === 1, 'the third is used')
    expect(other.got[0]![0]).to.equal(2)
    other.acknowledge(2)
    await sink.close()
    await other.stop()
  })

  it('has no room while too much is unacknowledged', async () => {
    const server = await PatientServer.start()
    const sink = new WebSocketSink([server.url], connect, 10, () => {})
    sink.put(bytes(0), 0)
    expect(sink.hasRoom()).to.equal(true)
    sink.put(new Uint8Array(11), 1)
    expect(sink.hasRoom()).to.equal(false)
    await until(() => server.got.length === 1, 'the record arrives')
    server.acknowledge(1)
    await until(() => sink.hasRoom(), 'there is room again')
    await sink.close()
    await server.stop()
  })

  it('tries again at once when it is closed: the server may be back since the last try', async () => {
    const server = await PatientServer.start()
    let isUp = false
    let failures = 0
    const sink = new WebSocketSink(
      [server.url],
      (url) => {
        if (isUp) return connect(url)
        failures++
        const socket = { send: () => {}, close: () => {} } as unknown as Socket
        setTimeout(() => socket.onclose!(), 0)
        return socket
      },
      MB,
      () => {},
    )
    sink.put(bytes(0), 0)
    sink.put(bytes(1), 1)
    // By then it waits longer for the next try than closing is patient.
    await until(() => failures === 4, 'it has tried four times')
    isUp = true
    const closing = sink.close()
    await until(() => server.got.length === 1, 'the record arrives')
    server.acknowledge(1)
    await closing
    expect(sink.outcome).to.equal('delivered')
    await server.stop()
  })

  it('gives up when the server refuses, and says why', async () => {
    const server = await PatientServer.start()
    const problems: string[] = []
    const sink = new WebSocketSink([server.url], connect, MB, (problem) => problems.push(problem))
    sink.put(bytes(0), 0)
    sink.put(bytes(1), 1)
    await until(() => server.got.length === 1, 'the record arrives')
    server.say({ refused: { code: 'bad-field', message: 'record 1 at byte 0: expected …' } })
    await until(() => problems.length === 1, 'the refusal arrives')
    expect(problems[0]).to.contain('record 1 at byte 0')
    expect(sink.hasRoom()).to.equal(false)
    await sink.close()
    await server.stop()
  })
})

const folder = mkdtempSync(join(tmpdir(), 'lapsus-probe-'))
after(() => rmSync(folder, { recursive: true }))

/** A program of its own that uses the probe as a game would. */
function bundle(program: string): string {
  const outfile = join(folder, `${createHash('sha1').update(program).digest('hex')}.cjs`)
  buildSync({
    stdin: {
      contents: `import { createProbe } from './node.ts'\n${program}`,
      resolveDir: join(import.meta.dirname, '../src'),
    },
    bundle: true,
    platform: 'node',
    format: 'cjs',
    outfile,
    logLevel: 'error',
  })
  return outfile
}

describe('file sink', () => {
  it('writes a take that reads back', async () => {
    const path = join(folder, 'a.lapsus')
    const probe = makeProbe(new FileSink(path, MB, () => {}))
    const marker = probe.marker('m')
    for (let i = 0; i < 5; i++) {
      probe.frame()
      probe.run(marker, () => {})
    }
    await probe.close()
    const { chunks, reader } = readBack([readFileSync(path)])
    expect(reader.ended).to.equal(true)
    expect(chunks[0]!.frameStartNs.length).to.equal(5)
  })

  it('gets the whole take of a game that simply ends, by its environment', () => {
    const path = join(folder, 'b.lapsus')
    const script = bundle(
      `const probe = createProbe({ game: 'Ends', conditions: { scene: 'a' } })
       const m = probe.marker('m')
       for (let i = 0; i < 3; i++) { probe.frame(); probe.run(m, () => {}) }`,
    )
    execFileSync(process.execPath, [script], {
      env: { ...process.env, LAPSUS_TO: path, LAPSUS_TAKE: 'given-by-env' },
    })
    const { take, chunks, reader } = readBack([readFileSync(path)])
    expect(reader.ended).to.equal(true)
    expect(take.take).to.equal('given-by-env')
    expect(take.conditions).to.include({ scene: 'a', runtime: `Node.js ${process.versions.node}` })
    expect(chunks[0]!.frameStartNs.length).to.equal(3)
  })

  it('reports a file it cannot write, once, and lets the game go on', async () => {
    const problems: string[] = []
    const probe = makeProbe(
      new FileSink(join(folder, 'no', 'such.lapsus'), MB, (problem) => problems.push(problem)),
    )
    for (let i = 0; i < 3; i++) probe.frame()
    await probe.close()
    expect(problems).to.have.length(1)
    expect(problems[0]).to.contain('ENOENT')
  })
})

describe('lanes', () => {
  it('bring the spans of a worker thread beside those of the main one, on one clock', async () => {
    const sink = new MemorySink()
    const probe = makeProbe(sink, { game: 'Lane Game' })
    const marker = probe.marker('main.work')
    probe.frame()
    const worker = new Worker(
      bundle(
        `const lane = createProbe({ game: 'Lane Game' }).lane('worker 1')
         const job = lane.marker('sort.job', { group: 'jobs' })
         lane.enter(job); lane.enter(job); lane.leave(); lane.leave()
         lane.close()`,
      ),
    )
    await new Promise((resolve) => worker.once('exit', resolve))
    await sleep(20)
    probe.run(marker, () => {})
    await probe.close()
    const { declares, chunks } = readBack(sink.records)
    const lanes = declares.flatMap((declare) => declare.lanes)
    expect(lanes).to.deep.equal([
      { id: 0, name: 'main' },
      { id: 1, name: 'worker 1' },
    ])
    const job = declares.flatMap((declare) => declare.markers).find(({ name }) => name === 'sort.job')!
    expect(job.group).to.equal('jobs')
    const lane = chunks[0]!.lanes.find((spans) => spans.lane === 1)!
    expect([...lane.marker]).to.deep.equal([job.id, job.id])
    expect([...lane.depth]).to.deep.equal([0, 1])
    const frameEndNs = chunks[0]!.frameStartNs[0]! + chunks[0]!.frameDurationNs[0]!
    expect(lane.startNs[0]).to.be.within(chunks[0]!.frameStartNs[0]!, frameEndNs)
  })
})
