/** Parts of a page that do not come, since the server is away, or another version of it runs by now. */
import { expect } from 'chai'
import type { HTTPRequest } from 'puppeteer-core'
import { nightRecords } from '../../core/test/support/night.ts'
import { bytesOf } from '../../core/test/support/takes.ts'
import { until } from '../../server/test/support.ts'
import { useScreen } from './support.ts'

const FAILED = /Failed to (fetch dynamically imported module|load resource)|net::ERR_FAILED|did not come/

describe('parts that do not come', () => {
  const { page, server, openLive, seen, text, button } = useScreen(undefined, FAILED)
  let missing = /^$/
  /** What was asked for; `hint` for a part that is missing. */
  const answered: string[] = []

  const answer = (request: HTTPRequest) => {
    const { pathname } = new URL(request.url())
    if (missing.test(pathname)) {
      if (pathname.includes('hint-tip')) answered.push('hint')
      void request.abort()
      return
    }
    answered.push(pathname)
    void request.continue()
  }

  before(async () => {
    const imported = await fetch(`${server.address}/api/imports`, {
      method: 'POST',
      body: bytesOf(nightRecords('torn-night')) as BodyInit,
    })
    expect(imported.ok).to.equal(true)
    await page.setRequestInterception(true)
    page.on('request', answer)
    await page.setCacheEnabled(false)
  })
  beforeEach(() => {
    missing = /^$/
    answered.length = 0
  })
  after(async () => {
    page.off('request', answer)
    await page.setRequestInterception(false)
  })

  const openView = (name: string) =>
    page.locator(`nav[aria-label=Views] ::-p-xpath(.//button[. = "${name}"])`).click()

  it('leave the rest of the workbench as it is, and come when the page is loaded again', async () => {
    await openLive('/takes/torn-night')
    await page.waitForSelector('[data-testid=page] canvas[data-draw-ms]')
    missing = /\/assets\/memory-/
    await openView('memory')
    await seen('A part of the page did not come')
    expect(await text()).to.contain('replaced by another version')
    expect(await page.$('[data-testid=strip] canvas')).not.to.equal(null)
    await openView('frame')
    await page.waitForSelector('[data-testid=page] canvas[data-draw-ms]')
    await openView('memory')
    await seen('A part of the page did not come')
    missing = /^$/
    // The address says where one was.
    await until(() => page.url().includes('sight=memory'), 'the address is written')
    await Promise.all([page.waitForNavigation(), button('Load the page again').click()])
    await page.waitForSelector('nav[aria-label=Views]')
    expect(await text()).not.to.contain('did not come')
    expect(await page.$eval('nav[aria-label=Views] [data-state=on]', (tab) => tab.textContent)).to.equal(
      'memory',
    )
  })

  it('are told of where a whole page is missing', async () => {
    missing = /\/assets\/workbench-/
    await openLive('/takes/torn-night')
    await seen('A part of the page did not come')
    missing = /^$/
    await button('Load the page again').click()
    await page.waitForSelector('[data-testid=strip] canvas[data-draw-ms]')
  })

  it('are left behind with their page', async () => {
    await openLive('/')
    await seen('Game')
    missing = /\/assets\/workbench-/
    await page.locator('a[href^="/takes/torn-night"]').click()
    await seen('A part of the page did not come')
    await page.goBack()
    await seen('Record your own game')
    expect(await text()).not.to.contain('did not come')
  })

  it('are told of where the list of takes is missing', async () => {
    missing = /\/assets\/take-list-/
    await openLive('/')
    await seen('A part of the page did not come')
    expect(await text()).to.contain('Record your own game')
  })

  it('are noted where they only serve', async () => {
    missing = /\/assets\/(menu-list|hint-tip)-/
    await openLive('/')
    await seen('Game')
    await seen('A part of the page did not come. The server is away')
    expect((await text()).split('did not come')).to.have.length(2)
    expect(await page.$('button[aria-label^="Save as a file"]:disabled')).not.to.equal(null)
    await page.hover('button[aria-label^="Delete"]')
    await until(() => answered.includes('hint'), 'the words of what is pointed at are asked for')
    expect(await text()).to.contain('Game')
    missing = /^$/
    await Promise.all([page.waitForNavigation(), button('Load the page again').click()])
    await page.waitForSelector('button[aria-label^="Save as a file"]:enabled')
  })

  it('do not hold up the take, which is asked for while the page comes, and once', async () => {
    const held: HTTPRequest[] = []
    let isHeld = true
    page.off('request', answer)
    const hold = (request: HTTPRequest) => {
      answered.push(new URL(request.url()).pathname)
      if (isHeld && /\/assets\/workbench-.*js/.test(request.url())) held.push(request)
      else void request.continue()
    }
    page.on('request', hold)
    await page.goto(`${server.address}/takes/torn-night`, { waitUntil: 'domcontentloaded' })
    const asked = () => answered.filter((path) => path.startsWith('/api/takes/torn-night'))
    await until(() => asked().length === 2, 'the take is asked for')
    expect(asked()).to.have.members(['/api/takes/torn-night', '/api/takes/torn-night/frames'])
    // What shows it may be asked for a moment later.
    isHeld = false
    for (const request of held) void request.continue()
    await page.waitForSelector('[data-testid=strip] canvas[data-draw-ms]')
    const frames = answered.filter((path) => path.endsWith('/frames'))
    expect(frames).to.have.length(1)
    page.off('request', hold)
    page.on('request', answer)
  })
})
