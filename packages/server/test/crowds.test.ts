/** One's work does not hold up the others: connections that wait, bodies that are held, tables and bodies that are none. */
import { expect } from 'chai'
import { createServer, request as httpRequest, type IncomingMessage } from 'node:http'
import { connect, type AddressInfo, type Socket } from 'node:net'
import type { Context } from 'koa'
import { Bodies } from '../src/serve/bodies.ts'
import { keepRoom, mostWaiting } from '../src/serve/crowd.ts'
import { connect as openDatabase, UnusableDatabase } from '../src/store/connection.ts'
import { migrate } from '../src/store/migrate.ts'
import { ProblemError } from '../src/problem-error.ts'
import type { RunningServer } from '../src/index.ts'
import { freshDatabase, testServer, until } from './support.ts'

describe('connections that wait', () => {
  it('are ended, the longest waiting first, when they are too many; those at work are not', async () => {
    let release = () => {}
    const http = createServer((request, response) => {
      if (request.url === '/slow') release = () => response.end('slow')
      else response.end('quick')
    })
    keepRoom(http, 8)
    await new Promise<void>((resolve) => http.listen(0, '127.0.0.1', resolve))
    const { port } = http.address() as AddressInfo
    const get = (path: string) =>
      new Promise<string>((resolve, reject) =>
        httpRequest({ port, host: '127.0.0.1', path, agent: false }, (answer: IncomingMessage) => {
          let text = ''
          answer.on('data', (piece) => (text += piece))
          answer.on('end', () => resolve(text))
        })
          .on('error', reject)
          .end(),
      )
    const slow = get('/slow')
    const halves: Socket[] = []
    const open = () => halves.filter((socket) => !socket.destroyed).length
    for (let i = 0; i < 40; i++) {
      const socket = connect(port, '127.0.0.1')
      socket.on('error', () => {})
      socket.write('GET / HTTP/1.1\r\nHost: x\r\n')
      halves.push(socket)
    }
    await until(() => open() <= 8, 'the oldest are ended')
    expect(halves.slice(-4).every((socket) => !socket.destroyed)).to.equal(true)
    expect(await get('/')).to.equal('quick')
    release()
    expect(await slow).to.equal('slow')
    for (const socket of halves) socket.destroy()
    await new Promise((resolve) => http.close(resolve))
  })

  it('may be half of what the process may open, less what else it needs', () => {
    expect(mostWaiting(128)).to.equal(32)
    expect(mostWaiting(1_024)).to.equal(480)
    expect(mostWaiting(10)).to.equal(8)
    expect(mostWaiting(10_000_000)).to.equal(4_096)
  })
})

describe('bodies', () => {
  const asked = (length: number | undefined, encoding = '') =>
    ({ request: { length }, get: () => encoding }) as unknown as Context

  it('have one limit together: beyond it they are to be sent again', async () => {
    const bodies = new Bodies(100)
    let release = () => {}
    const held = bodies.within(asked(60), () => new Promise<void>((resolve) => (release = resolve)))
    expect(bodies.heldBytes).to.equal(60)
    const tried = async (length: number, encoding?: string) =>
      bodies
        .within(asked(length, encoding), async () => {})
        .then(
          () => null,
          (error: ProblemError) => error,
        )
    expect(await tried(40)).to.equal(null)
    const refused = (await tried(41))!
    expect([refused.status, refused.retryAfterS]).to.deep.equal([503, 2])
    expect((await tried(11, 'gzip'))!.status).to.equal(503)
    expect(await tried(10, 'gzip')).to.equal(null)
    release()
    await held
    expect(bodies.heldBytes).to.equal(0)
    // One that is larger than all is still let in, alone.
    expect(await tried(1_000)).to.equal(null)
  })
})

describe('a server', () => {
  let server: RunningServer
  before(async () => {
    server = await testServer()
  })
  after(() => server.stop())

  it('says 400 to a body that is not what its encoding says, wherever it is sent', async () => {
    for (const [path, type] of [
      ['/api/checks', 'application/json'],
      ['/api/composites', 'application/json'],
      ['/v1/traces', 'application/json'],
      ['/ingest/a-take-of-gzip', 'application/jsonl'],
    ]) {
      const headers = { 'content-type': type!, 'content-encoding': 'gzip' }
      const answer = await fetch(server.address + path, { method: 'POST', headers, body: 'no gzip at all' })
      expect(answer.status, path).to.equal(400)
    }
  })

  it('refuses tables of a later version, in words', async () => {
    const url = await freshDatabase()
    const database = await openDatabase(url)
    await migrate(database)
    expect(await migrate(database)).to.deep.equal([])
    await database.getQueryInterface().bulkInsert('migrations', [{ name: '999-of-tomorrow' }])
    const failed = await testServer({ databaseUrl: url }).catch((error: unknown) => error)
    expect(failed).to.be.instanceOf(UnusableDatabase)
    expect((failed as Error).message).to.contain('a later Lapsus (999-of-tomorrow)')
    await database.close()
  })
})
