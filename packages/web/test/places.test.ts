/** Places in the code: shown beside everything that is said of a marker, copied or opened, their lines as text. */
import { expect } from 'chai'
import { endRecord, type Place } from '@lapsus/core/format'
import { recordsFrom, run, runs, type TestFrame } from '../../core/test/support/studies.ts'
import { bytesOf, takeRecord } from '../../core/test/support/takes.ts'
import { until } from '../../server/test/support.ts'
import { addressOf, whatIsWrong } from '../src/code/place-address.ts'
import { LEDGER_ROW, useScreen } from './support.ts'

const MS = 1e6
const LINES = ['function measure() {', '  const a = "<b id=evil>bold</b>"', '}']
const MEASURE: Place = { file: 'src/lamps & moths/measure.ts', line: 42, source: { from: 41, lines: LINES } }

describe('an address that opens a place', () => {
  it('has file and line put in, wherever the pattern has them', () => {
    const at = { file: 'src/a b/ü#1?.ts', line: 7 }
    expect(addressOf('edit://open?f=/home/me/{file}&l={line}', at)).to.equal(
      'edit://open?f=/home/me/src/a%20b/%C3%BC%231%3F.ts&l=7',
    )
    expect(addressOf('x://{line}/{file}:{line}', { file: '$&', line: 1 })).to.equal('x://1/%24%26:1')
  })

  it('is refused where it is none, names no file, or is code', () => {
    for (const good of ['editor://{file}:{line}', 'https://code.example/{file}#L{line}', 'x:{file}'])
      expect(whatIsWrong(good), good).to.equal(null)
    for (const [bad, words] of [
      ['editor://open', '{file}'],
      ['{file}', 'no address'],
      ['/home/{file}', 'no address'],
      ['javascript:alert("{file}")', 'javascript:'],
      [' JavaScript:{file}', 'javascript:'],
      ['java\tscript:{file}', 'javascript:'],
      ['data:text/html,{file}', 'data:'],
    ] as const)
      expect(whatIsWrong(bad), bad).to.contain(words)
  })
})

describe('places in the code, on the screen', () => {
  const screen = useScreen()
  const { page, server, open, seen, textOf, button } = screen
  const TAKE = 'placed-take-1'

  before(async () => {
    const frames = Array.from({ length: 240 }, (_, i): TestFrame => ({
      runs: [
        run('sim', MS, { children: [run('measure', 9 * MS)] }),
        ...(i % 40 === 20 ? runs(30, 'burst', MS) : []),
      ],
    }))
    const markers = {
      measure: { at: MEASURE },
      sim: { at: { file: 'src/sim.ts', line: 1, source: null } },
      burst: { at: { file: 'src/burst.ts', line: 9, source: null } },
    }
    const records = [takeRecord({ take: TAKE, game: 'Placed' }), ...recordsFrom(frames, { markers })]
    const body = bytesOf([...records, endRecord(records.length)]) as BodyInit
    const response = await fetch(`${server.address}/api/imports`, { method: 'POST', body })
    expect(response.status).to.equal(201)
  })

  const places = (inside: string) =>
    page.$$eval(`${inside} [data-testid=place]`, (found) =>
      found.map((one) => (one as HTMLElement).innerText),
    )
  const openFinding = async () => {
    await page.locator('[data-testid=finding][data-kind=hotspot] button').click()
    await page.waitForSelector('[data-testid=source]')
  }

  it('stand with the finding, with its lines as text, and a click copies them', async () => {
    await open(`/takes/${TAKE}`)
    await openFinding()
    expect(await places('[data-testid=finding]')).to.deep.equal(['measure.ts:42'])
    expect(await textOf('source')).to.equal(
      ['41function measure() {', `42  const a = "<b id=evil>bold</b>"`, '43}'].join('\n'),
    )
    expect(await page.$('#evil')).to.equal(null)
    const marked = await page.$$eval('[data-testid=source] code', (lines) =>
      lines
        .filter((line) => getComputedStyle(line).fontWeight === '600')
        .map((line) => (line as HTMLElement).innerText),
    )
    expect(marked).to.deep.equal([`42  const a = "<b id=evil>bold</b>"`])
    // A page without a person before it may not write there.
    await page.evaluate(
      'Object.defineProperty(navigator.clipboard, "writeText", { value: async (words) => void (window.copied = words) })',
    )
    await page.locator('[data-testid=finding] [data-testid=place]').click()
    await seen('src/lamps & moths/measure.ts:42 is on the clipboard.')
    expect(await page.evaluate('window.copied')).to.equal('src/lamps & moths/measure.ts:42')
  })

  it('stand with ledger lines, spikes, the roster and the page', async () => {
    await open(`/takes/${TAKE}?sight=ledger`)
    await page.waitForSelector(LEDGER_ROW)
    expect((await places('[data-testid=ledger]')).sort()).to.deep.equal([
      'burst.ts:9',
      'measure.ts:42',
      'sim.ts:1',
    ])
    await open(`/takes/${TAKE}?sight=spikes`)
    await page.waitForSelector('[data-testid=spikes] [data-testid=place]')
    expect(new Set(await places('[data-testid=spikes]'))).to.deep.equal(new Set(['burst.ts:9']))
    await open(`/takes/${TAKE}?sight=roster`)
    await page.waitForSelector('[data-testid=roster] [data-testid=place]')
    expect(await places('[data-testid=roster]')).to.include.members(['measure.ts:42', 'sim.ts:1'])
    // Beside a page only the chosen line has room for it.
    await open(`/takes/${TAKE}?sight=frame&frame=3&path=1`)
    await page.waitForSelector('[data-testid=samples] [data-testid=place]')
    expect(await places('[data-testid=samples]')).to.deep.equal(['measure.ts:42'])
    await page.waitForSelector('[data-testid=ledger] [data-testid=place]')
    expect(await places('[data-testid=ledger]')).to.deep.equal(['measure.ts:42'])
    const { x, y, width, height } = await screen.middleOf('page')
    await page.mouse.move(x + width / 2, y + height / 2)
    await seen('src/lamps & moths/measure.ts:42')
  })

  it('are opened by an address that is set once, and remembered; code is refused', async () => {
    await open(`/takes/${TAKE}`)
    await openFinding()
    await button('How code is opened').click()
    const field = 'input[aria-label^="Address"]'
    const type = async (pattern: string) => {
      await page.waitForSelector(field)
      await page.$eval(field, (element) => (element as HTMLInputElement).select())
      await page.type(field, pattern)
    }
    await type('javascript:{file}')
    await seen('Addresses with javascript: are not opened.')
    expect(
      await page.$eval('form button[type=submit]', (one) => (one as HTMLButtonElement).disabled),
    ).to.equal(true)
    await type('editor://open?file=/game/{file}&line={line}')
    await seen('editor://open?file=/game/src/lamps%20%26%20moths/measure.ts&line=42')
    await page.keyboard.press('Enter')
    const href = () =>
      page
        .$eval('[data-testid=finding] [data-testid=place]', (element) => element.getAttribute('href'))
        .catch(() => null)
    const wanted = 'editor://open?file=/game/src/lamps%20%26%20moths/measure.ts&line=42'
    await until(async () => (await href()) === wanted, 'the place is a link')
    await page.reload({ waitUntil: 'networkidle0' })
    await until(async () => (await href()) === wanted, 'the place is a link again')
    // Without an address it is copied again.
    await button('How code is opened').click()
    await page.waitForSelector(field)
    await page.$eval(field, (element) => (element as HTMLInputElement).select())
    await page.keyboard.press('Backspace')
    await page.keyboard.press('Enter')
    await until(async () => (await href()) === null, 'the place is copied')
  })
})
