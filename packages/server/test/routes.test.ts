/** Who may ask where: every address of the table, in every spelling that somebody might try, without a password. */
import { connect } from 'node:net'
import { expect } from 'chai'
import { INGEST_PATH } from '@lapsus/core/format'
import { COMPARISON } from '@lapsus/core/questions/comparison'
import { endRecord } from '@lapsus/core/format'
import { bytesOf, chunkRecord, declareRecord, node, takeRecord } from '../../core/test/support/takes.ts'
import { isLikeARoute } from '../src/serve/routes/mount.ts'
import { ROUTES, WHO } from '../src/serve/routes/table.ts'
import type { RunningServer } from '../src/index.ts'
import { testServer } from './support.ts'

const TAKE = 'a-take-of-the-walk'
const PASSWORD = 'a long password'
const SECRET = 'Sealed Letters'
const access = { password: PASSWORD, ingestKeys: { '*': 'key-of-all-the-games' } }

interface Answer {
  status: number
  body: string
}

/** Sends a request as it stands, which a client of the platform would put right. */
function ask(server: RunningServer, method: string, target: string, headers: string[] = []): Promise<Answer> {
  const { hostname, port } = new URL(server.address)
  return new Promise((resolve, reject) => {
    const socket = connect(Number(port), hostname)
    let text = ''
    socket.setEncoding('utf8')
    socket.on('data', (piece: string) => (text += piece))
    socket.on('error', reject)
    socket.on('close', () =>
      resolve({
        status: Number(text.split(' ', 2)[1]),
        body: text.split('\r\n\r\n').slice(1).join('\r\n\r\n'),
      }),
    )
    const lines = [`${method} ${target} HTTP/1.1`, `Host: 127.0.0.1:${port}`, 'Connection: close', ...headers]
    if (method !== 'GET' && method !== 'HEAD') lines.push('Content-Length: 0')
    socket.write(`${lines.join('\r\n')}\r\n\r\n`)
  })
}

const filled = (path: string): string =>
  path
    .replace('{*file}', '')
    .replace(/:take\b/, TAKE)
    .replaceAll(/:\w+/g, '1')

/** Ways to write a path that a server, or what stands before it, might take for the same. */
function spellings(path: string, host: string): string[] {
  const escaped = (letter: string) => `%${letter.charCodeAt(0).toString(16)}`
  const [, first = '', ...rest] = path.split('/')
  const after = rest.map((part) => `/${part}`).join('')
  return [
    path.toUpperCase(),
    `/${first.charAt(0).toUpperCase()}${first.slice(1)}${after}`,
    `/${first.toUpperCase()}${after}`,
    `/%${first.charCodeAt(0).toString(16)}${first.slice(1)}${after}`,
    `/%${first.toUpperCase().charCodeAt(0).toString(16)}${first.slice(1).toUpperCase()}${after}`,
    `/${[...first].map(escaped).join('')}${after}`,
    `/${path}`,
    path.replaceAll('/', '//'),
    `/.${path}`,
    `/x/..${path}`,
    `/%2e${path}`,
    `/x/%2e%2e${path}`,
    path.replace('/', '/%2f'),
    path.replace(/\/([^/]*)$/, '%2f$1'),
    path.replaceAll('/', '\\'),
    `/\\${path.slice(1)}`,
    `${path}/`,
    `${path}//`,
    `${path}/.`,
    `${path}%20`,
    `${path};a=b`,
    `${path}?`,
    `${path}#`,
    `http://${host}${path}`,
    `HTTP://${host}${path}`,
    `http://${host}${path.toUpperCase()}`,
    `//${host}${path}`,
  ]
}

describe('the table of routes', () => {
  let open: RunningServer
  let closed: RunningServer
  before(async () => {
    open = await testServer()
    closed = await testServer({ access })
    const take = bytesOf([
      takeRecord({ take: TAKE, game: SECRET }),
      declareRecord(1, [{ name: SECRET }]),
      chunkRecord(2, [{ lanes: [[node(0, 1_000_000)]], restNs: 0 }]),
      endRecord(3),
    ])
    for (const { address } of [open, closed]) {
      const headers = { authorization: `Basic ${Buffer.from(`:${PASSWORD}`).toString('base64')}` }
      const answer = await fetch(`${address}/api/imports`, {
        method: 'POST',
        body: take as BodyInit,
        headers,
      })
      expect(answer.status).to.equal(201)
    }
  })
  after(() => Promise.all([open.stop(), closed.stop()]))

  const routes = Object.entries(ROUTES).map(([name, { who }]) => {
    const [method, path] = name.split(' ') as [string, string]
    return { name, method, path: filled(path), who }
  })
  const isPublic = ({ who }: { who: keyof typeof WHO }) => who === 'anybody'

  it('has the addresses that games and questions go by', () => {
    expect(ROUTES).to.include.keys(
      `POST ${INGEST_PATH}/:take`,
      `GET /api/${COMPARISON.at}`,
      'GET /api/takes/:take/ledger',
    )
  })

  it('answers each route to whoever may ask there, and 401 to a stranger', async () => {
    for (const route of routes) {
      const { name, method, path } = route
      const stranger = await ask(closed, method, path)
      if (isPublic(route)) expect(stranger.status, name).not.to.be.oneOf([401, 403])
      else {
        expect(stranger.status, name).to.equal(401)
        expect(stranger.body, name).not.to.contain(SECRET)
      }
    }
    // The walk means something: what it looks for is there.
    expect((await ask(open, 'GET', `/api/takes/${TAKE}`)).body).to.contain(SECRET)
    expect((await ask(open, 'GET', '/api/takes')).body).to.contain(SECRET)
  })

  it('gives a stranger nothing in any other spelling, nor by another method', async () => {
    const host = new URL(closed.address).host
    const headers = ['X-HTTP-Method-Override: GET', 'X-Original-URL: /api/takes', 'X-Rewrite-URL: /api/takes']
    for (const route of routes.filter((one) => !isPublic(one))) {
      const methods = [...new Set([route.method, 'GET', 'HEAD'])]
      const tries = spellings(route.path, host).flatMap((target) =>
        methods.map(async (method) => {
          const { status, body } = await ask(closed, method, target, headers)
          const what = `${method} ${target}`
          expect(status, what).to.be.oneOf([400, 401, 404, 405])
          expect(body, what).not.to.contain(SECRET)
        }),
      )
      await Promise.all(tries)
    }
    expect(await closed.store.recordings.count()).to.equal(0)
    expect((await closed.store.takes.findByPk(TAKE))!.deletedAt).to.equal(null)
  })

  it('is exact: what is reached by another spelling on an open server is nothing, or the same by its own name', async () => {
    for (const target of [
      '/API/takes',
      '/Api/games',
      '/api/takes/',
      '//api/takes',
      '/%61pi/takes',
      '/V1/Traces',
      '/Health',
    ])
      expect((await ask(open, 'GET', target)).status, target).to.equal(404)
    expect((await ask(open, 'POST', '/V1/Traces')).status).to.equal(404)
    expect((await ask(open, 'GET', `http://${new URL(open.address).host}/api/takes`)).status).to.equal(200)
    expect((await ask(open, 'GET', '/get/nosuch')).status).to.equal(404)
  })

  it('tells a method that a route does not have from an address that is none', async () => {
    expect((await ask(open, 'PUT', '/api/takes')).status).to.equal(405)
    expect((await ask(open, 'PUT', '/api/nowhere')).status).to.equal(404)
  })

  it('tells addresses of pages from those that are like a route', () => {
    for (const path of [
      '/api',
      '/API/x',
      '//api',
      '/./api',
      '/x/../api',
      '/%61pi',
      '/ingest/1',
      '/get/x',
      '/%',
      '\\api',
      '/v1',
      '/health',
    ])
      expect(isLikeARoute(path), path).to.equal(true)
    for (const path of ['/', '/takes/api', '/compare', '/apis', '/games'])
      expect(isLikeARoute(path), path).to.equal(path === '/games')
  })
})
