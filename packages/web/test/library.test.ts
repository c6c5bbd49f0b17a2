/** The library: thousands of takes, several chosen at once, and what is done with them together. */
import { expect } from 'chai'
import type { TakeSummary } from '@lapsus/api'
import { endRecord } from '@lapsus/core/format'
import { randomFrom, recordsFrom, run, type TestFrame } from '../../core/test/support/studies.ts'
import { bytesOf, takeRecord } from '../../core/test/support/takes.ts'
import { getJson, until } from '../../server/test/support.ts'
import { libraryRows } from '../src/library/order.ts'
import { compareAddress, likelySides } from '../src/library/sides.ts'
import { useScreen } from './support.ts'

const MS = 1e6

const summary = (id: string, more: Partial<TakeSummary> = {}): TakeSummary => ({
  ...{
    id,
    game: 'Game',
    name: '',
    note: '',
    tags: [],
    state: 'complete',
    started: '2026-01-02T03:04:05.000Z',
  },
  ...{ target: 60, conditions: {}, frames: 0, spans: 0, durationMs: 0, dropped: 0, repaired: 0, setAside: 0 },
  ...{ storedBytes: 0, figures: null },
  ...more,
})

describe('the rows of the library', () => {
  const keys = (...args: Parameters<typeof libraryRows>) => libraryRows(...args).map(({ key }) => key)

  it('are games with their takes, but for those that are folded', () => {
    const takes = [summary('a'), summary('b', { game: 'Other' }), summary('c')]
    expect(keys(takes, 'newest', [])).to.deep.equal(['game Game', 'a', 'c', 'game Other', 'b'])
    expect(keys(takes, 'newest', ['Game'])).to.deep.equal(['game Game', 'game Other', 'b'])
  })

  it('are sorted as asked for, those without the figure last', () => {
    const figures = (p99: number, overShare: number) =>
      ({ figures: { work: { p99 }, overShare } }) as unknown as Partial<TakeSummary>
    const takes = [
      summary('none', { storedBytes: 5 }),
      summary('slow', { name: 'night 10', storedBytes: 9, ...figures(30, 0.1) }),
      summary('over', { name: 'night 9', storedBytes: 7, ...figures(20, 0.5) }),
    ]
    expect(keys(takes, 'p99', []).slice(1)).to.deep.equal(['slow', 'over', 'none'])
    expect(keys(takes, 'over', []).slice(1)).to.deep.equal(['over', 'slow', 'none'])
    expect(keys(takes, 'size', []).slice(1)).to.deep.equal(['slow', 'over', 'none'])
    expect(keys(takes, 'name', []).slice(1)).to.deep.equal(['over', 'slow', 'none'])
  })
})

describe('the sides of a comparison', () => {
  it('are told by build, and by date where there is one build', () => {
    const take = (id: string, day: number, build: string) =>
      summary(id, { started: `2026-01-0${day}T00:00:00.000Z`, conditions: { build } })
    const builds = [take('c', 3, 'new'), take('a', 1, 'old'), take('b', 2, 'old')]
    expect([...likelySides(builds)]).to.deep.equal([
      ['c', 'after'],
      ['a', 'before'],
      ['b', 'before'],
    ])
    expect(compareAddress(builds)).to.equal('/compare?before=a%2Cb&after=c')
    expect(compareAddress([take('b', 2, 'one'), take('a', 1, 'one')])).to.equal('/compare?before=a&after=b')
  })
})

describe('the library on the screen', () => {
  const { page, server, open, seen, button, textOf } = useScreen()
  const shownRows = () => page.$$eval('[data-testid=take-row]', (rows) => rows.length)
  const choose = (name: string) => page.locator(`[aria-label="Choose ${name}"]`).click()

  async function night(take: string, seekMs: number): Promise<void> {
    const random = randomFrom(3)
    const ns = (ms: number) => Math.round(ms * MS * (0.97 + 0.06 * random()))
    const frames = Array.from({ length: 200 }, (): TestFrame => ({
      runs: [
        run('sim', ns(1), { children: [run('seek', ns(seekMs)), run('belt', ns(1))] }),
        run('draw', ns(2)),
      ],
    }))
    const records = [takeRecord({ take, game: 'Chosen Game' }), ...recordsFrom(frames)]
    const body = bytesOf([...records, endRecord(records.length)]) as BodyInit
    await fetch(`${server.address}/api/imports`, { method: 'POST', body })
    await fetch(`${server.address}/api/takes/${take}`, {
      method: 'PATCH',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ name: take }),
    })
  }
  before(async () => {
    for (const [take, seekMs] of [
      ['first-night', 2],
      ['second-night', 1],
      ['third-night', 1.5],
    ] as const)
      await night(take, seekMs)
  })

  it('compares two takes that are chosen', async () => {
    await open('/')
    await choose('first-night')
    await seen('1 take chosen')
    await choose('second-night')
    await seen('2 takes chosen')
    await button('Compare').click()
    await until(async () => (await page.$('[data-testid=comparison-words]')) !== null, 'it is told')
    expect(page.url()).to.match(/before=(first|second)-night&after=(first|second)-night/)
  })

  it('checks chosen takes against a budget, made of one or written', async () => {
    await open('/')
    await choose('first-night')
    await page.locator('[data-testid=chosen-takes] button::-p-text(Check)').click()
    await seen('Nothing is checked yet')
    await button('Make one of this take').click()
    await until(
      async () => (await page.$eval('textarea', (area) => area.value)).includes('"runsPerFrame"'),
      'there is a budget',
    )
    await page.locator('[aria-label=Budget] button::-p-text(Check)').click()
    await seen('The budget holds')
    await page.$eval('textarea', (area) => area.focus())
    const write = async (text: string) => {
      await page.keyboard.down('Control')
      await page.keyboard.press('a')
      await page.keyboard.up('Control')
      await page.keyboard.type(text)
      await page.locator('[aria-label=Budget] button::-p-text(Check)').click()
    }
    await write('{"format":"lapsus-budget","version":1,"frames":{"p95Ms":0.5},"oxen":{}}')
    await seen('The budget is breached')
    expect(await textOf('check')).to.contain('there is nothing of that name to limit')
    await page.focus('textarea')
    await write('{"format":')
    await seen('The budget is no JSON')
    // It is there again the next time.
    await page.reload({ waitUntil: 'networkidle0' })
    expect(await page.$eval('textarea', (area) => area.value)).to.equal('{"format":')
  })

  it('asks for the sides of more than two', async () => {
    await open('/')
    for (const name of ['first-night', 'second-night', 'third-night']) await choose(name)
    await button('Compare').click()
    await page.waitForSelector('[role=dialog]')
    const pick = (take: string, side: string) =>
      page.locator(`[role=dialog] [aria-label="Side of ${take}"] button::-p-text(${side})`).click()
    for (const name of ['first-night', 'second-night', 'third-night']) await pick(name, 'after')
    await seen('A take is needed on each side')
    await pick('third-night', 'before')
    await page.locator('[role=dialog] button::-p-text(Compare)').click()
    await until(
      () => page.url().includes('/compare?before=third-night&after='),
      'the address names the sides',
    )
  })

  it('lays takes over one another, and opens what comes of it', async () => {
    await open('/')
    for (const name of ['first-night', 'second-night', 'third-night']) await choose(name)
    await button('Lay over one another').click()
    await seen('“composite of 3 takes” is in the library')
    await button('Open').click()
    await until(
      async () => (await page.$('[data-testid=composite]')) !== null,
      'what the machine added is shown',
    )
    expect(await textOf('composite')).to.match(/first-night\s+\+0\.4[89]\d ms|first-night\s+\+0\.5\d+ ms/)
  })

  it('saves chosen takes together, and deletes them so that they can be brought back', async () => {
    await open('/')
    for (const name of ['first-night', 'second-night']) await choose(name)
    const address = await page.$eval('[data-testid=chosen-takes] a', (link) => link.getAttribute('href'))
    expect(address).to.equal('/api/archives?takes=first-night,second-night')
    await page.locator('[data-testid=chosen-takes] button::-p-text(Delete)').click()
    await seen('2 takes are deleted')
    await until(async () => (await shownRows()) === 2, 'two are left')
    await button('Undo').click()
    await seen('second-night')
  })

  it('shows five thousand takes, drawn as they come into sight', async () => {
    const [row] = await server.store.takes.findAll({ where: { id: 'first-night' } })
    const { id: _, ...rest } = row!.get({ plain: true })
    const many = Array.from({ length: 5_000 }, (_, i) => ({
      ...rest,
      id: `many-${String(i).padStart(5, '0')}`,
      name: `take ${i}`,
      started: new Date(Date.UTC(2020, 0, 1) + i * 60_000),
    }))
    await server.store.takes.bulkCreate(many)
    await open('/')
    await seen('5,004 takes')
    await until(async () => (await shownRows()) >= 8, 'rows are there')
    expect(await shownRows()).to.be.below(40)
    expect((await getJson<TakeSummary[]>(server, '/api/takes')).length).to.equal(5_004)
    await page.select('[aria-label="Order of takes"]', 'name')
    await seen('take 0')
    await page.evaluate(() => window.scrollTo(0, document.body.scrollHeight))
    await seen('third-night')
    await page.evaluate(() => window.scrollTo(0, document.body.scrollHeight / 2))
    await until(async () => (await shownRows()) > 8, 'rows are there in the middle, too')
    expect(await shownRows()).to.be.below(40)
    // From one to another with Shift.
    await page.evaluate(() => window.scrollTo(0, 0))
    await choose('composite of 3 takes')
    await page.keyboard.down('Shift')
    await choose('take 3')
    await page.keyboard.up('Shift')
    await seen('7 takes chosen')
    await button('Chosen Game').click()
    await until(async () => (await shownRows()) === 0, 'they are folded away')
    await page.reload({ waitUntil: 'networkidle0' })
    expect(await shownRows()).to.equal(0)
    await button('Chosen Game').click()
    await until(async () => (await shownRows()) > 0, 'and unfolded')
  })
})
