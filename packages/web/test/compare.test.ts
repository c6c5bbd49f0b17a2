/** Two takes set against each other on the screen; and a trial within one. */
import { expect } from 'chai'
import { nightRecords } from '../../core/test/support/night.ts'
import { recordsFrom, run } from '../../core/test/support/studies.ts'
import { bytesOf, takeRecord } from '../../core/test/support/takes.ts'
import { until } from '../../server/test/support.ts'
import { useScreen } from './support.ts'

describe('a comparison on the screen', () => {
  const screen = useScreen(undefined, /404/)
  const { page, server, open, textOf, untilParameter } = screen
  const put = (body: Uint8Array) =>
    fetch(`${server.address}/api/imports`, { method: 'POST', body: body as BodyInit })
  before(async () => {
    await put(bytesOf(nightRecords('night-before')))
    await put(bytesOf(nightRecords('night-after')))
  })

  it('is reached from a take, and has an address', async () => {
    await open('/takes/night-before')
    await until(
      async () => (await page.$$('[aria-label="Compare this take with another"] option')).length > 1,
      'other takes are there',
    )
    await page.select('[aria-label="Compare this take with another"]', 'night-after')
    await until(async () => page.url().includes('/compare?'), 'the address is that of a comparison')
    await until(async () => (await page.$('[data-testid=comparison-words]')) !== null, 'it is told')
    expect(await textOf('comparison-words')).to.match(/the machine was as fast both times\.$/)
    expect(await textOf('comparison')).to.match(/work p95[\s\S]*Paths, those that changed most first/)
  })

  it('tells of a path what became of it, and leads to it in either take', async () => {
    await page.locator('[aria-label="Paths before and after"] tbody tr').click()
    await until(async () => (await page.$('[data-testid=chosen-path]')) !== null, 'the path is told')
    expect(await textOf('chosen-path')).to.contain('runs a frame')
    await page.locator('::-p-xpath(//a[.="in the take after"])').click()
    await untilParameter('sight', 'ledger')
    expect(page.url()).to.contain('/takes/night-after')
  })

  it('shows a frame beside its counterpart, and lights the frames of a path', async () => {
    await open('/compare?before=night-before&after=night-after')
    await until(async () => (await page.$('[aria-label="Frame before"]')) !== null, 'the strips are there')
    await page.focus('[aria-label="Frame before"]')
    await page.keyboard.press('ArrowRight')
    await until(
      async () => (await page.$$('[data-testid=two-pages] [data-testid=page]')).length === 2,
      'two pages',
    )
    const frames = () =>
      page.$$eval('[data-testid=two-pages] [data-testid=page]', (all) =>
        all.map((one) => one.getAttribute('data-frame')),
      )
    // Both are the same run.
    await until(async () => (await frames()).join() === '0,0', 'frame 0 of both')
    await page.keyboard.press('PageDown')
    await until(async () => (await frames()).join() === '60,60', 'a second later')
    const inked = () =>
      page.$eval('[aria-label="Work of all frames, after"]', (canvas) =>
        (canvas as HTMLCanvasElement).toDataURL(),
      )
    const before = await inked()
    await page.locator('[aria-label="Paths before and after"] tbody tr').click()
    await until(async () => (await inked()) !== before, 'its frames are lit')
  })

  it('says in words what cannot be compared', async () => {
    await open('/compare?before=night-before&after=')
    await until(async () => (await screen.text()).includes('Name a take on each side'), 'it says so')
    await open('/compare?before=night-before&after=nowhere-at-all')
    await until(async () => (await screen.text()).includes('could not be compared'), 'it says so')
  })
})

describe('a trial on the screen', () => {
  const screen = useScreen()
  const { page, server, open, textOf } = screen
  before(async () => {
    const frames = Array.from({ length: 400 }, (_, frame) => {
      const variant = Math.floor(frame / 20) % 2
      return {
        runs: [run('seek', variant === 0 ? 3e6 : 1e6), run('draw', 2e6)],
        gauges: { 'moth.seek': variant },
      }
    })
    const records = recordsFrom(frames, { trials: { 'moth.seek': ['all', 'near'] } })
    const body = bytesOf([takeRecord({ take: 'tried-night' }), ...records])
    await fetch(`${server.address}/api/imports`, { method: 'POST', body: body as BodyInit })
  })

  it('has a view where there is one, which says what it comes to', async () => {
    await open('/takes/tried-night')
    await page.locator('::-p-xpath(//nav[@aria-label="Views"]//button[.="trial"])').click()
    await until(async () => (await page.$('[data-testid=trial-words]')) !== null, 'it is told')
    expect(await textOf('trial-words')).to.match(
      /^moth\.seek: with “near” a frame takes 2\.00 ms less, surely/,
    )
    expect(await textOf('trial')).to.match(/seek[\s\S]*better/)
  })
})
