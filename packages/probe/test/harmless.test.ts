/** Whatever a game gives the probe, and whatever a server answers: no call throws, no recording ends. */
import { expect } from 'chai'
import fc from 'fast-check'
import { spawn } from 'node:child_process'
import { mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import type { AddressInfo } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { WebSocketServer } from 'ws'
import { encodeCbor, INGEST_PROTOCOL, spoolName } from '@lapsus/core/format'
import { Digester } from '@lapsus/core/take'
import { createProbe } from '../src/node.ts'
import { ingestAddresses } from '../src/options.ts'
import { anything, calls, hostile, play } from './calls.ts'
import { makeProbe, MemorySink, readBack, until } from './support.ts'

describe('the probe', () => {
  it('takes any calls with any arguments, and what it records can be read', () => {
    fc.assert(
      fc.property(calls, fc.boolean(), (list, bytes) => {
        const sink = new MemorySink()
        const memory = { heap: () => [][0]! as number, watchCollections: () => [][0]! }
        const probe = makeProbe(sink, { mode: bytes ? 'bytes' : 'timing', memory })
        const real = probe.marker('real')
        probe.frame()
        play(probe, list)
        probe.frame()
        probe.run(real, () => {})
        probe.finish()
        const { chunks, declares } = readBack(sink.records)
        const digester = new Digester()
        for (const record of declares) digester.declare(record)
        for (const chunk of chunks) digester.digest(chunk)
        expect(chunks.length).to.be.above(0)
      }),
      { numRuns: 150 },
    )
  })

  it('is made of any options, and tells what of them it does not use', () => {
    fc.assert(
      fc.property(
        fc.record(
          {
            game: anything,
            target: anything,
            to: fc.oneof(
              anything,
              fc.constantFrom('ws://', 'ws://[', 'http://x:99999', 'wss://%', 'ws:// x'),
            ),
            take: anything,
            key: anything,
            conditions: anything,
            bufferMb: anything,
            mode: anything,
            keepSeconds: anything,
            tripwires: anything,
          },
          { requiredKeys: [] },
        ),
        (options) => {
          // A path would be written to: that is what it means.
          if (typeof options.to === 'string' && ingestAddresses(options.to, '/') === null) delete options.to
          if (typeof options.to === 'string') options.to = 'ws://'
          const probe = createProbe({ ...options, onProblem: () => [][0]![0] } as never)
          probe.frame()
          probe.finish()
        },
      ),
      { numRuns: 200 },
    )
    for (const options of hostile) createProbe(options as never).frame()
  })

  it('counts wrong calls by kind, names what they were about, and goes on', () => {
    const sink = new MemorySink()
    const probe = makeProbe(sink)
    const fish = probe.gaugeId('fish')
    probe.frame()
    for (let i = 0; i < 12; i++) probe.gauge(fish, NaN)
    probe.enter(99)
    probe.leave()
    probe.moment('x', null as never)
    probe.frame()
    probe.finish()
    const problems = readBack(sink.records).chunks.flatMap((chunk) => chunk.problems)
    expect(problems).to.deep.include({ what: 'values were not numbers', about: 'gauge fish', count: 12 })
    expect(problems).to.deep.include({ what: 'spans had no marker that exists', about: '', count: 1 })
  })

  it('does not let what onFrame or a sink throws into the game', async () => {
    const probe = createProbe({
      game: 'g',
      to: {
        hasRoom: () => [][0]!,
        put: () => [][0]![0],
        close: () => Promise.reject(new Error('no')),
      } as never,
      onProblem: () => {},
    })
    probe.onFrame = () => [][0]![0]
    probe.frame()
    probe.frame()
    await probe.close()
  })

  it('understands every way to write the product’s address', () => {
    const address = (to: string) => {
      const found = ingestAddresses(to, '/ingest')
      return found?.length === 1 ? found[0] : found
    }
    for (const to of [
      'ws://127.0.0.1:4780',
      '127.0.0.1:4780',
      'http://127.0.0.1:4780',
      'http://127.0.0.1:4780/takes/abc?x=1#y',
    ])
      expect(address(to), to).to.equal('ws://127.0.0.1:4780/ingest')
    expect(address('https://lapsus.example')).to.equal('wss://lapsus.example/ingest')
    expect(address('[::1]:4780')).to.equal('ws://[::1]:4780/ingest')
    expect(address('takes/night.lapsus')).to.equal(null)
    expect(address('ws://')).to.deep.equal([])
    expect(address('127.0.0.1:4780, https://lapsus.example')).to.deep.equal([
      'ws://127.0.0.1:4780/ingest',
      'wss://lapsus.example/ingest',
    ])
    expect(address('127.0.0.1:4780,takes/night.lapsus')).to.deep.equal([])
    expect(address('takes/night,127.0.0.1:4780')).to.equal(null)
  })
})

describe('whatever the server answers', () => {
  it('is no acknowledgement unless it says so, and never throws', async () => {
    const answers: (string | Buffer)[] = [
      ...[
        'hello',
        'null',
        '{}',
        '[]',
        '5',
        '{"refused":null}',
        '{"type":"ack"}',
        '{"ack":-1}',
        '{"ack":"3"}',
      ],
      ...['{"type":"news","ack":1}', '{"order":"dance"}', '{"type":"order","order":"keep"}'],
      Buffer.from([0xa1, 0x63, 0x61, 0x63, 0x6b, 1]),
    ]
    const server = new WebSocketServer({ port: 0, host: '127.0.0.1' })
    await new Promise((resolve) => server.once('listening', resolve))
    const received: string[] = []
    server.on('connection', (socket) => {
      received.push(socket.protocol)
      socket.send('{"ack":0}')
      socket.on('message', () => answers.forEach((answer) => socket.send(answer)))
    })
    const problems: string[] = []
    const folder = mkdtempSync(join(tmpdir(), 'lapsus-spool-'))
    process.env['LAPSUS_SPOOL'] = folder
    const to = `127.0.0.1:${(server.address() as AddressInfo).port}`
    const probe = createProbe({ game: 'g', to, onProblem: (problem) => problems.push(problem) })
    for (let i = 0; i < 60; i++) {
      probe.frame()
      await new Promise((resolve) => setTimeout(resolve, 10))
    }
    const beganMs = performance.now()
    await probe.close()
    // It heeds no sign of life in these: with them it waits for ten seconds.
    expect(performance.now() - beganMs).to.be.below(9_500)
    expect(received).to.deep.equal([INGEST_PROTOCOL])
    expect(problems.join()).to.contain('does not know')
    // Nothing was acknowledged: everything is kept.
    expect(readdirSync(folder)).to.have.length(1)
    expect(problems.at(-1)).to.contain('kept in')
    delete process.env['LAPSUS_SPOOL']
    rmSync(folder, { recursive: true })
    for (const client of server.clients) client.terminate()
    server.close()
  })
})

describe('what an earlier run left', () => {
  it('is kept aside when the server refuses it', async () => {
    const server = new WebSocketServer({ port: 0, host: '127.0.0.1' })
    await new Promise((resolve) => server.once('listening', resolve))
    const { port } = server.address() as AddressInfo
    const [head, record] = ['head', 'record'].map((text) => encodeCbor(text)) as [Uint8Array, Uint8Array]
    server.on('connection', (socket) => {
      socket.send('{"type":"ack","ack":0}')
      socket.on('message', (data: Buffer) => {
        if (data.equals(record))
          socket.send('{"type":"refused","refused":{"code":"out-of-sequence","message":"not from 11 on"}}')
      })
    })
    const folder = mkdtempSync(join(tmpdir(), 'lapsus-spool-'))
    process.env['LAPSUS_SPOOL'] = folder
    const name = spoolName({ host: '127.0.0.1', port, take: 'other-take', writer: 'w', first: 11 })
    const left = Buffer.concat([head, record])
    writeFileSync(join(folder, name), left)
    const problems: string[] = []
    const probe = createProbe({
      game: 'g',
      to: `127.0.0.1:${port}`,
      onProblem: (problem) => problems.push(problem),
    })
    probe.frame()
    await until(
      () => problems.length > 0 && !readdirSync(folder).includes(`${name}.taken`),
      'it is dealt with',
    )
    expect(readdirSync(folder)).to.deep.equal([`${name}.refused`])
    expect(readFileSync(join(folder, `${name}.refused`)).equals(left)).to.equal(true)
    expect(problems.join())
      .to.contain('not from 11 on')
      .and.contain(`kept in ${join(folder, name)}.refused`)
    delete process.env['LAPSUS_SPOOL']
    rmSync(folder, { recursive: true })
    probe.finish()
    for (const client of server.clients) client.terminate()
    server.close()
  })
})

describe('a server that takes long to make ready', () => {
  it('is waited for as long as it gives signs of life', async () => {
    const server = new WebSocketServer({ port: 0, host: '127.0.0.1' })
    await new Promise((resolve) => server.once('listening', resolve))
    let records = 0
    server.on('connection', (socket) => {
      const signs = setInterval(() => socket.send('{"type":"wait"}'), 1_000)
      let isReady = false
      setTimeout(() => {
        clearInterval(signs)
        isReady = true
        socket.send('{"type":"ack","ack":0}')
      }, 3_500)
      socket.on('message', () => {
        if (isReady) socket.send(JSON.stringify({ type: 'ack', ack: ++records }))
      })
    })
    const problems: string[] = []
    const to = `127.0.0.1:${(server.address() as AddressInfo).port}`
    const probe = createProbe({ game: 'g', to, onProblem: (problem) => problems.push(problem) })
    for (let i = 0; i < 10; i++) {
      probe.frame()
      await new Promise((resolve) => setTimeout(resolve, 5))
    }
    await probe.close()
    expect(problems).to.deep.equal([])
    expect(records).to.be.at.least(2)
    for (const client of server.clients) client.terminate()
    server.close()
  })
})

describe('versions of the protocol', () => {
  it('may differ: a server of the first one is understood', async () => {
    // As that server was: it took whatever subprotocol was offered, and its messages had no type.
    const server = new WebSocketServer({ port: 0, host: '127.0.0.1' })
    await new Promise((resolve) => server.once('listening', resolve))
    let records = 0
    server.on('connection', (socket) =>
      socket.on('message', () => socket.send(JSON.stringify({ ack: records++ }))),
    )
    const problems: string[] = []
    const to = `127.0.0.1:${(server.address() as AddressInfo).port}`
    const probe = createProbe({ game: 'g', to, onProblem: (problem) => problems.push(problem) })
    for (let i = 0; i < 20; i++) {
      probe.frame()
      await new Promise((resolve) => setTimeout(resolve, 5))
    }
    await probe.close()
    expect(problems).to.deep.equal([])
    expect(records).to.be.above(2)
    for (const client of server.clients) client.terminate()
    server.close()
  })
})

describe('a game in Node', () => {
  const folder = mkdtempSync(join(tmpdir(), 'lapsus-harmless-'))
  after(() => rmSync(folder, { recursive: true, force: true }))

  /** Plays a few frames, then does something; resolves when the process has ended. */
  async function play(
    name: string,
    ending: string,
  ): Promise<{ code: number | null; signal: string | null; ms: number }> {
    const probe = JSON.stringify(join(import.meta.dirname, '../src/node.ts'))
    const file = join(folder, `${name}.game.mts`)
    writeFileSync(
      file,
      `import { createProbe } from ${probe}
       const probe = createProbe({ game: 'Ends', to: '127.0.0.1:9', onProblem: () => {} })
       for (let i = 0; i < 5; i++) { probe.frame(); await new Promise((resolve) => setTimeout(resolve, 20)) }
       ${ending}`,
    )
    const beganMs = performance.now()
    const child = spawn(process.execPath, ['--import=tsx', file], {
      env: { ...process.env, LAPSUS_SPOOL: join(folder, name) },
      stdio: 'ignore',
    })
    const [code, signal] = await new Promise<[number | null, string | null]>((resolve) =>
      child.once('exit', (code, signal) => resolve([code, signal])),
    )
    return { code, signal, ms: performance.now() - beganMs }
  }
  const kept = (name: string) => readdirSync(join(folder, name))

  it('ends by itself though it never closes its probe, and its tail is kept', async () => {
    const { code } = await play('ends', '')
    expect(code).to.equal(0)
    expect(kept('ends')).to.have.length(1)
  })

  it('keeps its tail on process.exit, an uncaught exception, a rejection and SIGTERM', async () => {
    expect(await play('exit', 'process.exit(3)')).to.include({ code: 3 })
    expect(await play('throws', `throw new Error('of the game')`)).to.include({ code: 1 })
    expect(
      await play(
        'rejects',
        `void Promise.reject(new Error('x')); await new Promise((r) => setTimeout(r, 5000))`,
      ),
    ).to.include({ code: 1 })
    expect(
      await play(
        'term',
        `process.kill(process.pid, 'SIGTERM'); await new Promise((r) => setTimeout(r, 5000))`,
      ),
    ).to.include({ signal: 'SIGTERM' })
    for (const name of ['exit', 'throws', 'rejects', 'term']) expect(kept(name), name).to.have.length(1)
  })
})
