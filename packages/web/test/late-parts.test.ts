/** Parts of a page that come when they are wanted: whoever is quicker than them loses nothing. */
import { expect } from 'chai'
import type { HTTPRequest } from 'puppeteer-core'
import { bytesOf } from '../../core/test/support/takes.ts'
import { nightRecords } from '../../core/test/support/night.ts'
import { until } from '../../server/test/support.ts'
import { useScreen } from './support.ts'

describe('parts that come late', () => {
  const { page, server, openLive, seen, gone, text, button } = useScreen()
  const LATE = /\/assets\/(menu-list|hint-tip)-|\/course\?/
  const held: HTTPRequest[] = []
  let holds = false

  const arrest = (request: HTTPRequest) => {
    if (holds && LATE.test(request.url())) held.push(request)
    else void request.continue()
  }
  const release = () => {
    holds = false
    for (const request of held.splice(0)) void request.continue()
  }

  before(async () => {
    const imported = await fetch(`${server.address}/api/imports`, {
      method: 'POST',
      body: bytesOf(nightRecords('late-night')) as BodyInit,
    })
    expect(imported.ok).to.equal(true)
    await page.setRequestInterception(true)
    page.on('request', arrest)
  })
  beforeEach(async () => {
    await page.setCacheEnabled(false)
    holds = true
    await openLive('/')
    await seen('Game')
  })
  afterEach(release)
  after(async () => {
    page.off('request', arrest)
    await page.setRequestInterception(false)
  })

  it('open a list that was asked for before it had come', async () => {
    await button('Save as a file').click()
    expect(await text()).not.to.contain('JSON lines')
    release()
    await seen('JSON lines')
    await page.keyboard.press('Escape')
    await gone('JSON lines')
    await button('Save as a file').click()
    await seen('JSON lines')
  })

  it('move nothing when they come', async () => {
    await openLive('/takes/late-night?sight=ledger')
    await page.locator('[data-testid=ledger] tbody tr::-p-text(npc)').click()
    await seen('Reading its course…')
    const placeOf = () =>
      page.$eval('[data-testid=course-card] h3', (head) => head.getBoundingClientRect().toJSON() as DOMRect)
    const place = await placeOf()
    release()
    await seen('how long a run takes')
    expect(await placeOf()).to.deep.equal(place)
  })

  it('leave the path in sight that the address chooses', async () => {
    release()
    await page.setViewport({ width: 1280, height: 640 })
    await openLive('/takes/late-night?sight=ledger')
    await page.locator('[data-testid=ledger] tbody tr::-p-text(npc)').click()
    await until(() => page.url().includes('path='), 'the address names the path')
    await page.reload()
    await seen('how long a run takes')
    await page.waitForSelector('[data-testid=ledger] tbody tr[aria-selected=true]')
    const bottoms = () =>
      page.$eval('[data-testid=ledger] tbody tr[aria-selected=true]', (chosen) =>
        [chosen, chosen.closest('table')!.parentElement!].map((one) => one.getBoundingClientRect().bottom),
      )
    await until(async () => {
      const [row, room] = await bottoms()
      return row! <= room! + 1
    }, 'the chosen path is in sight')
    await page.setViewport({ width: 1280, height: 800 })
  })

  it('leave what they explain as it is, and then explain it', async () => {
    const remove = (await page.waitForSelector('button[aria-label^="Delete"]'))!
    await page.keyboard.press('Tab')
    await remove.focus()
    release()
    await until(
      () => page.$$eval('[role=tooltip]', (tips) => tips.some((tip) => /undone/.test(tip.textContent))),
      'it is explained',
    )
    expect(await remove.evaluate((element) => element === document.activeElement)).to.equal(true)
    await page.keyboard.press('Escape')
    await until(async () => (await page.$('[role=tooltip]')) === null, 'the words are gone')
    await page.mouse.move(2, 2)
    await remove.hover()
    await page.waitForSelector('[role=tooltip]')
    await page.mouse.move(2, 2)
    await until(async () => (await page.$('[role=tooltip]')) === null, 'the words are gone')
  })
})
