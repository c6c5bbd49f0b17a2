/** What of a screen can be given away: reports, pictures, tables. */
import { expect } from 'chai'
import { existsSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { nightRecords } from '../../core/test/support/night.ts'
import { bytesOf } from '../../core/test/support/takes.ts'
import { importWeeks, until } from '../../server/test/support.ts'
import { useScreen } from './support.ts'

describe('what can be taken away', () => {
  const { page, server, folder, open, seen, button } = useScreen()
  const put = (body: Uint8Array) =>
    fetch(`${server.address}/api/imports`, { method: 'POST', body: body as BodyInit })
  before(async () => {
    await put(bytesOf(nightRecords('taken-before')))
    await put(bytesOf(nightRecords('taken-after')))
    await importWeeks(server)
    const client = await page.createCDPSession()
    await client.send('Page.setDownloadBehavior', { behavior: 'allow', downloadPath: folder })
  })

  async function items(): Promise<string[]> {
    await button('Take it away').click()
    await page.waitForSelector('[role=menuitem]')
    return page.$$eval('[role=menuitem]', (all) => all.map((one) => (one as HTMLElement).innerText))
  }
  async function save(label: string, file: string): Promise<string> {
    await items()
    await page.locator(`::-p-xpath(//*[@role="menuitem"][contains(., ${JSON.stringify(label)})])`).click()
    const path = join(folder, file)
    await until(
      () => existsSync(path) && statSync(path).size > 0,
      `${file} is saved, not ${readdirSync(folder).join()}`,
    )
    return readFileSync(path, 'utf8')
  }

  it('is every table of the screen, as it is shown', async () => {
    await open('/compare?before=taken-before&after=taken-after')
    await seen('Paths, those that changed most first')
    const csv = await save('Figures of frames, as CSV', 'Comparison-Figures-of-frames.csv')
    const [heads, ...rows] = csv.trimEnd().split('\r\n')
    expect(heads).to.match(/^figure,before,after,difference,/)
    expect(rows.find((row) => row.startsWith('work p95,'))).to.match(/^work p95,\d+\.\d+ ms,\d+\.\d+ ms,/)
  })

  it('is every row of a table, though only those in sight are drawn', async () => {
    await open('/takes/taken-before?sight=ledger')
    await seen('self p99')
    const ledger = (await items()).find((one) => one.includes('as CSV'))!
    await page.keyboard.press('Escape')
    const csv = await save(
      ledger,
      `${`Test Game ${ledger.replace(', as CSV', '')}`.replaceAll(/[^\p{L}\p{N}]+/gu, '-')}.csv`,
    )
    expect(csv).to.match(/text,/)
    expect(csv.split('\r\n').length).to.be.above(5)
  })

  it('is every picture: drawings and charts, as PNG and as SVG', async () => {
    await open('/compare?before=taken-before&after=taken-after')
    await seen('Paths, those that changed most first')
    const svg = await save('Work of all frames, before, as SVG', 'Comparison-Work-of-all-frames-before.svg')
    expect(svg).to.match(/^<svg[\s\S]*<rect[\s\S]*>before<[\s\S]*<\/svg>$/)
    await save('Work of all frames, after, as PNG', 'Comparison-Work-of-all-frames-after.png')
    const png = readFileSync(join(folder, 'Comparison-Work-of-all-frames-after.png'))
    expect([...png.subarray(1, 4)].map((byte) => String.fromCharCode(byte)).join('')).to.equal('PNG')
    await open('/game?name=Test+Game&view=history')
    await seen('18 takes of 6 versions')
    const chart = await save(
      'sim › seek, take by take, as SVG',
      'Test-Game-history-sim-seek-take-by-take.svg',
    )
    expect(chart).to.match(/^<svg[\s\S]*<path[\s\S]*>seek, ms<[\s\S]*<\/svg>$/)
    // Eighteen points, and the levels around what changed.
    expect((chart.match(/<path[^>]* A 4 4 /g) ?? []).length).to.be.at.least(18)
  })

  it('is a report, which opens without any server and fetches nothing', async () => {
    for (const query of ['take=taken-before', 'before=taken-before&after=taken-after', 'game=Test+Game']) {
      const response = await fetch(`${server.address}/api/report?${query}`)
      expect(response.headers.get('content-disposition')).to.match(
        /^attachment; filename="lapsus-\w+\.html"$/,
      )
      const html = await response.text()
      expect(html.length).to.be.below(2_000_000)
      const path = join(folder, 'report.html')
      writeFileSync(path, html)
      const report = await page.browser().newPage()
      const requests: string[] = []
      report.on('request', (request) => requests.push(request.url()))
      await report.goto(`file://${path}`)
      expect(await report.$$eval('h1', (all) => all.length)).to.equal(1)
      expect(
        await report.$$eval('svg', (all) => all.every((one) => one.getBoundingClientRect().height > 20)),
      ).to.equal(true)
      expect(await report.evaluate(() => document.documentElement.scrollWidth <= window.innerWidth)).to.equal(
        true,
      )
      const pdf = await report.pdf({ preferCSSPageSize: true })
      expect(Buffer.from(pdf.subarray(0, 4)).toString()).to.equal('%PDF')
      expect(requests).to.deep.equal([`file://${path}`])
      await report.close()
    }
  })

  it('is refused in words where there is nothing of that kind', async () => {
    const refused = async (query: string) => {
      const response = await fetch(`${server.address}/api/report?${query}`)
      return [response.status, ((await response.json()) as { detail: string }).detail]
    }
    expect(await refused('')).to.deep.equal([
      400,
      'name what to report: take, before and after, plan, or game',
    ])
    expect(await refused('take=gone')).to.deep.equal([404, 'there is no take gone'])
    expect(await refused('game=Nothing')).to.deep.equal([404, 'there is no game Nothing'])
    expect((await refused('take=taken-before&format=pdf'))[0]).to.equal(400)
  })
})
