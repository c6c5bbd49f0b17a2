/** A page of a foreign origin, in a real browser, tries to read, to write and to stop. */
import { expect } from 'chai'
import { mkdtempSync, rmSync } from 'node:fs'
import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import type { Browser, Page } from 'puppeteer-core'
import type { TakeDetail, TakeSummary } from '@lapsus/api'
import { encodeRecord, endRecord } from '@lapsus/core/format'
import { bytesOf, chunkRecord, declareRecord, node, takeRecord } from '../packages/core/test/support/takes.ts'
import type { RunningServer } from '../packages/server/src/index.ts'
import { getJson, TestGame, testServer } from '../packages/server/test/support.ts'
import { launchBrowser } from './support/browser.ts'

const MS = 1_000_000
const FOREIGN = 'elsewhere.localhost'

/** What the page tries; as text, for it runs as it stands. */
const PAGE = `<!doctype html><title>elsewhere</title><iframe name="hidden"></iframe><script>
  const outcome = (work) => work.then((value) => 'read: ' + value, () => 'nothing')
  const text = (response) => response.text()
  const byScript = (address) => new Promise((resolve, reject) => {
    const script = Object.assign(document.createElement('script'), { src: address })
    script.onload = () => resolve(address)
    script.onerror = reject
    document.head.append(script)
  })
  const framed = (address) => new Promise((resolve, reject) => {
    const frame = Object.assign(document.createElement('iframe'), { src: address })
    frame.onload = () => {
      try { resolve(frame.contentWindow.document.body.innerText) } catch (error) { reject(error) }
    }
    document.body.append(frame)
  })
  const readings = (address) => Promise.all([
    outcome(fetch(address + '/api/takes').then(text)),
    outcome(fetch(address + '/api/takes', { credentials: 'include' }).then(text)),
    outcome(fetch(address + '/api/takes/not-yours-1/file?format=lapsus').then(text)),
    outcome(byScript(address + '/api/takes')),
    outcome(framed(address + '/')),
  ])
  const opening = (target, bytes) => new Promise((resolve) => {
    const socket = new WebSocket(target)
    socket.onopen = () => { socket.send(Uint8Array.from(bytes)); resolve('open: ' + target) }
    socket.onerror = () => resolve('refused')
  })
  const openings = (address, bytes) => Promise.all(
    ['//', '/', '/ingest', '/ingest?key=a', '/ingest/../ingest', '/%2e', '/\\\\', '///:80']
      .map((path) => opening(address + path, bytes)))
</script>`

describe('a page of a foreign origin', () => {
  const folder = mkdtempSync(join(tmpdir(), 'lapsus-foreign-'))
  let server: RunningServer
  let pages: Server
  let browser: Browser
  let page: Page
  let game: TestGame

  before(async () => {
    server = await testServer({ webFolder: join(import.meta.dirname, '../packages/web/dist') })
    pages = createServer((_request, response) => {
      response.setHeader('Content-Type', 'text/html')
      response.end(PAGE)
    })
    await new Promise<void>((resolve) => pages.listen(0, '127.0.0.1', resolve))
    browser = await launchBrowser(join(folder, 'profile'))
    page = await browser.newPage()
    await page.goto(`http://${FOREIGN}:${(pages.address() as AddressInfo).port}/`)

    const frames = [{ lanes: [[node(0, MS)]], restNs: 0 }]
    const records = [
      takeRecord({ take: 'not-yours-1' }),
      declareRecord(1, [{ name: 'a' }]),
      chunkRecord(2, frames),
      endRecord(3),
    ]
    await fetch(`${server.address}/api/imports`, { method: 'POST', body: bytesOf(records) as BodyInit })
    game = await TestGame.connect(server)
    game.send(takeRecord({ take: 'being-recorded' }))
    game.send(declareRecord(1, [{ name: 'a' }]))
    game.send(chunkRecord(2, frames))
    await game.untilAcknowledged(2)
  })
  after(async () => {
    game?.vanish()
    await browser?.close()
    pages?.close()
    pages?.closeAllConnections()
    await server?.stop()
    rmSync(folder, { recursive: true, force: true })
  })

  const read = () => getJson<TakeSummary[]>(server, '/api/takes')

  it('reads nothing', async () => {
    const seen = (await page.evaluate(`readings(${JSON.stringify(server.address)})`)) as string[]
    expect(seen).to.deep.equal(seen.map(() => 'nothing'))
    // What it may send without asking leaves the answer opaque.
    const opaque = await page.evaluate(
      async (address) =>
        fetch(`${address}/api/takes`, { mode: 'no-cors' }).then(
          async (response) => `${response.status} ${await response.text()}`,
          () => '0 ',
        ),
      server.address,
    )
    expect(opaque).to.equal('0 ')
  })

  it('writes, stops and discards nothing', async () => {
    const before = await read()
    await page.evaluate(async (address) => {
      const tries: [string, string, string?][] = [
        ['POST', '/api/imports', 'anything'],
        ['POST', '/api/recordings', '{"seconds":1}'],
        ['POST', '/api/takes/being-recorded/stop'],
        ['POST', '/api/takes/being-recorded/discard'],
        ['POST', '/api/takes/being-recorded/keep', '{"cause":"me"}'],
        ['POST', '/api/takes/not-yours-1/plans', '{"name":"mine","items":[]}'],
        ['PATCH', '/api/takes/not-yours-1', '{"name":"mine"}'],
        ['DELETE', '/api/takes/not-yours-1'],
        ['POST', '/v1/traces', '{"resourceSpans":[]}'],
      ]
      for (const [method, path, body = null] of tries) {
        for (const mode of ['cors', 'no-cors'] as const)
          await fetch(address + path, { method, body, mode }).catch(() => {})
        const form = document.createElement('form')
        form.method = 'post'
        form.enctype = 'text/plain'
        form.action = address + path
        form.target = 'hidden'
        document.body.append(form)
        form.submit()
        navigator.sendBeacon(address + path, body ?? '')
      }
      await new Promise((resolve) => setTimeout(resolve, 800))
    }, server.address)
    const identities = (takes: TakeSummary[]) =>
      takes.map(({ id, name, state, frames }) => ({ id, name, state, frames }))
    expect(identities(await read())).to.deep.equal(identities(before))
    expect(await getJson(server, '/api/takes/not-yours-1/plans')).to.deep.equal([])
    expect(game.messages.filter((message) => !('ack' in message))).to.deep.equal([])
    expect(game.closeCode).to.equal(null)
  })

  it('opens no stream, whatever address it asks for, and ends nothing', async () => {
    const take = [...encodeRecord(takeRecord({ take: 'from-elsewhere' }))]
    const given = [server.address.replace('http', 'ws'), take].map((value) => JSON.stringify(value))
    const opened = (await page.evaluate(`openings(${given.join(', ')})`)) as string[]
    expect(opened).to.deep.equal(opened.map(() => 'refused'))
    expect((await fetch(`${server.address}/health`)).status).to.equal(200)
    expect((await read()).map(({ id }) => id)).not.to.include('from-elsewhere')
    game.send(chunkRecord(3, [{ lanes: [[node(0, MS)]], restNs: 0 }], MS))
    await game.untilAcknowledged(3)
    expect(await getJson<TakeDetail>(server, '/api/takes/being-recorded')).to.include({ state: 'recording' })
  })

  it('that calls this machine by a name of its own gets nothing either', async () => {
    const rebound = server.address.replace('127.0.0.1', FOREIGN)
    const answer = await page.goto(`${rebound}/api/takes`)
    expect(answer!.status()).to.equal(403)
    expect(await answer!.text()).to.contain('the Host header must name this machine')
  })
})
