/** The real screens, in a real browser, on a real server. */
import { endRecord } from '@lapsus/core/format'
import { expect } from 'chai'
import { writeFileSync } from 'node:fs'
import { join } from 'node:path'
import type { ElementHandle } from 'puppeteer-core'
import type { JobInfo, TakeSummary } from '@lapsus/api'
import type { AnyRecord } from '@lapsus/core/format'
import {
  bytesOf,
  chunkRecord,
  declareRecord,
  node,
  takeRecord,
  type FrameSpec,
} from '../../core/test/support/takes.ts'
import { longFile } from '../../server/test/long-file.ts'
import { getJson, until } from '../../server/test/support.ts'
import { LEDGER_ROW, useScreen } from './support.ts'

const MS = 1_000_000
const FRAMES = 200
const MARKERS = [
  { name: 'sim', group: 'simulation' },
  { name: 'moth.update', group: 'moths' },
  { name: 'refresh', kind: 'wait:refresh' as const },
]
const OVER = [50, 120]

/** 6 ms of work a frame, but 30 ms in frames 50 and 120. */
const frame = (i: number): FrameSpec => {
  const work = OVER.includes(i) ? 30 : 6
  return {
    lanes: [[node(0, (work - 3) * MS, [node(1, 3 * MS)]), node(2, 10 * MS)], [node(1, 2 * MS)]],
    restNs: 0,
  }
}

function take(id: string, frames: number): Uint8Array {
  const records: AnyRecord[] = [
    takeRecord({ take: id, game: `Game of ${id}` }),
    declareRecord(1, MARKERS, ['main', 'worker 1']),
  ]
  if (frames > 0)
    records.push(
      chunkRecord(
        2,
        Array.from({ length: frames }, (_, i) => frame(i)),
      ),
    )
  return bytesOf([...records, endRecord(records.length, 0)])
}

describe('interface', () => {
  const screen = useScreen()
  const { page, server, errors, folder, open, text, seen, gone, textOf, untilParameter } = screen
  const { button, line, untilLine, middleOf } = screen

  const importTake = (bytes: Uint8Array) =>
    fetch(`${server.address}/api/imports`, { method: 'POST', body: bytes as BodyInit })

  it('has words for an empty library and for addresses that lead nowhere', async () => {
    await open('/')
    await seen('No takes yet')
    await open('/nowhere')
    await seen('There is nothing at this address')
    errors.length = 0
    await open('/takes/no-such-take')
    await seen('This take could not be opened')
    // The browser logs the failed requests itself.
    expect(errors.splice(0).every((error) => error.includes('404'))).to.equal(true)
  })

  it('is kept by browsers: its scripts for good, its page not at all', async () => {
    const page = await fetch(server.address)
    const [, script] = /src="(\/assets\/[^"]+)"/.exec(await page.text())!
    const kept = async (path: string) => (await fetch(server.address + path)).headers.get('cache-control')
    expect(page.headers.get('cache-control')).to.equal('max-age=0')
    expect(await kept(script!)).to.equal('public, max-age=31536000, immutable')
    expect(await kept('/favicon.svg')).to.equal('max-age=0')
  })

  it('lists takes with their figures, renames, annotates, deletes and brings back', async () => {
    await importTake(take('listed-take', FRAMES))
    await open('/')
    await seen('Game of listed-take')
    const row = await textOf('take-row')
    expect(row).to.contain('1.00 % through the floor')
    expect(row).to.contain('p50 6.00 ms')
    expect(row).to.contain('worst 30.0 ms')
    expect(row).to.contain('200 frames')
    expect(row).to.contain('bench')
    await page.locator('::-p-aria(Name[role="textbox"])').fill('Rainy evening')
    await page.keyboard.press('Enter')
    await page.locator('::-p-aria(Note[role="textbox"])').fill('with the window open')
    await page.keyboard.press('Enter')
    await seen('Rainy evening')
    await until(
      async () =>
        (await getJson<TakeSummary>(server, '/api/takes/listed-take')).note === 'with the window open',
      'the note is kept',
    )
    expect((await getJson<TakeSummary>(server, '/api/takes/listed-take')).name).to.equal('Rainy evening')
    await button('Delete').click()
    await seen('is deleted')
    await seen('No takes yet')
    await button('Undo').click()
    await seen('Rainy evening')
  })

  it('imports a take file, and says what is wrong with one that is none', async () => {
    await open('/')
    const good = join(folder, 'good.lapsus')
    const bad = join(folder, 'bad.lapsus')
    writeFileSync(good, take('uploaded-take', 3))
    writeFileSync(bad, 'not a take')
    const send = async (file: string) => {
      await button('Import').click()
      const input = (await page.waitForSelector('input[type=file]')) as ElementHandle<HTMLInputElement>
      await input.uploadFile(file)
      await page.locator('[role=dialog] button[type=submit]').click()
    }
    await send(good)
    await seen('good.lapsus: 3 frames are in')
    await seen('Game of uploaded-take')
    await send(bad)
    await seen('bad.lapsus: record 0 at byte 0: expected a take')
    errors.length = 0

    // One that takes long says how far it is, beside one of somebody else, and both can be ended.
    const long = join(folder, 'long.lapsus.gz')
    writeFileSync(long, longFile(6_000_000))
    const others = fetch(`${server.address}/api/imports?game=Elsewhere`, {
      ...{ method: 'POST', body: longFile(6_000_000) as BodyInit },
    })
    await send(long)
    await until(async () => /of 6\.\d\d MB/.test(await textOf('import')), 'it says how far it is')
    expect(await textOf('import')).to.contain('Storing long.lapsus.gz')
    expect(await textOf('jobs')).to.match(/^Import: Elsewhere\s+[\d.]+ k?M?B of 6\.\d\d MB/)
    await page.locator('[data-testid=jobs] button::-p-text(Stop)').click()
    expect((await others).status).to.equal(409)
    await button('Cancel').click()
    await seen('long.lapsus.gz was not imported.')
    await until(async () => (await getJson<JobInfo[]>(server, '/api/jobs')).length === 0, 'both have ended')
  })

  it('opens a take at its worst frame, and goes from frame to frame by keyboard', async () => {
    await importTake(take('walked-take', FRAMES))
    await open('/takes/walked-take')
    await seen('frame 50')
    expect(await textOf('frame-bar')).to.contain('work 30.0 ms + refresh 10.0 ms')
    expect(await textOf('frame-bar')).to.contain('over by 13.3 ms')
    expect(await textOf('headline')).to.contain('1.00 % through the floor')
    await page.keyboard.press('ArrowRight')
    await seen('frame 51')
    expect(await textOf('frame-bar')).to.contain('work 6.00 ms')
    await page.keyboard.down('Shift')
    await page.keyboard.press('ArrowRight')
    await seen('frame 120')
    await page.keyboard.press('ArrowLeft')
    await page.keyboard.up('Shift')
    await seen('frame 50')
    await page.keyboard.press('End')
    await seen('frame 199')
    await untilParameter('frame', '199')
    await page.keyboard.press('ArrowRight')
    await button('Frame over budget before').click()
    await seen('frame 120')
    await until(
      () =>
        page.$eval('[data-testid=page]', (element) => (element as HTMLElement).dataset['frame'] === '120'),
      'the page shows it',
    )
  })

  it('chooses frames by dragging on the strip, and the ledger follows', async () => {
    await open('/takes/walked-take')
    await untilLine('sim', '3.24')
    expect(await line('moth.update')).to.deep.equal(['3.00', '3.00', '1.00', '18.0 %'])
    const { x, y, width } = await middleOf('strip')
    const at = (frame: number) => x + ((frame + 0.5) / FRAMES) * width
    await page.mouse.move(at(40), y + 60)
    await page.mouse.down()
    await page.mouse.move(at(59), y + 60, { steps: 6 })
    await page.mouse.up()
    await seen('of 20 frames, 40 to 59')
    await untilLine('sim', '4.20')
    await untilParameter('frames', '40-59')
    expect(await textOf('headline')).to.contain('5.00 % through the floor')
    await page.mouse.click(at(45), y + 60)
    await seen('frame 45')
    await page.keyboard.press('a')
    await untilLine('sim', '3.24')
    await untilParameter('frames', null)
  })

  it('moves page and ledger together', async () => {
    await open('/takes/walked-take?frame=50')
    await untilLine('sim', '3.24')
    const { x, y, width, height } = await middleOf('page')
    // moth.update is the last 3 of 40 ms before the wait: at 28.5 of 41.6 ms.
    await page.mouse.click(x + width * 0.55, y + 24 + ((height - 24) * 28.5) / 41.6)
    await untilParameter('path', '1')
    expect(
      await page.$eval(`${LEDGER_ROW}[aria-selected=true]`, (row) => (row as HTMLElement).innerText),
    ).to.contain('moth.update')
    await page.keyboard.press('Escape')
    await untilParameter('path', null)
    const [, sim] = await page.$$(LEDGER_ROW)
    await sim!.click()
    await untilParameter('path', '0')
    await page.keyboard.press('ArrowRight')
    await page.keyboard.press('ArrowRight')
    await seen('frame 52')
    // Where there is room, the p99 of a line leads to its worst frame.
    await page.keyboard.press('2')
    await untilParameter('sight', 'ledger')
    await untilLine('sim', '3.24')
    // The first row is that of the whole; the table may be put up anew while there is more room for it.
    const worst = async () => (await page.$$(`${LEDGER_ROW} button[title^=Worst]`))[1]
    await until(async () => (await worst()) !== undefined, 'the p99 of a line leads to its worst frame')
    await (await worst())!.click()
    await untilParameter('frame', '50')
  })

  it('zooms and pans the page by keyboard and wheel, and opens the whole frame again', async () => {
    await open('/takes/walked-take?frame=50')
    await until(
      () =>
        page.$eval('[data-testid=page]', (element) => Number((element as HTMLElement).dataset['boxes']) > 0),
      'blocks',
    )
    for (let i = 0; i < 12; i++) await page.keyboard.press('+')
    await seen('Whole frame')
    await page.keyboard.press('ArrowDown')
    await page.keyboard.press('0')
    await gone('Whole frame')
    const { x, y, width, height } = await middleOf('page')
    await page.mouse.move(x + width / 2, y + height / 2)
    await page.mouse.wheel({ deltaY: 200 })
    await seen('Whole frame')
  })

  it('judges by another target, groups, changes units, sorts and searches', async () => {
    await open('/takes/walked-take')
    await untilLine('sim', '3.24')
    await page.locator('::-p-aria(Target[role="combobox"])').click()
    await page.locator('::-p-text(30 frames a second, 33.3 ms)').click()
    await seen('no frame through the floor')
    await untilParameter('target', '30')
    await page.locator('::-p-aria(Target[role="combobox"])').click()
    await page.locator('::-p-text(another…)').click()
    await page.locator('::-p-aria(Target, frames a second)').fill('200')
    await page.keyboard.press('Enter')
    await seen('100 % through the floor')
    await untilParameter('target', '200')
    await page.keyboard.press('u')
    await untilLine('moth.update', '185')
    await page.keyboard.press('u')
    await untilLine('moth.update', '60.0 %')
    await page.keyboard.press('b')
    await page.keyboard.press('b')
    await seen('simulation')
    await untilParameter('by', 'group')
    await page.keyboard.press('/')
    await page.keyboard.type('moths')
    await until(async () => (await page.$$(LEDGER_ROW)).length === 2, 'both lanes of that group')
    await untilParameter('search', 'moths')
    await page.keyboard.press('Escape')
  })

  it('restores the whole view from its address', async () => {
    await open(
      '/takes/walked-take?frame=120&frames=100-139&target=90&by=marker&unit=second&sort=self&search=mo&path=1',
    )
    await seen('frame 120')
    await seen('of 40 frames, 100 to 139')
    await seen('target 90')
    await until(async () => (await page.$$(LEDGER_ROW)).length === 2, 'the search is applied')
    const address = page.url()
    await page.reload({ waitUntil: 'networkidle0' })
    await seen('of 40 frames, 100 to 139')
    expect(new URL(page.url()).search).to.equal(new URL(address).search)
  })

  it('shows its keys, and remembers light and dark', async () => {
    await open('/takes/walked-take')
    await seen('frame 50')
    await page.keyboard.press('?')
    await seen('Keys and words')
    await page.keyboard.press('Escape')
    await until(async () => (await page.$('[role=dialog]')) === null, 'the window is closed')
    const theme = () => page.evaluate(() => document.documentElement.dataset['theme'])
    await button('Colours: as the system has it').click()
    await button('Colours: light').click()
    await until(async () => (await theme()) === 'dark', 'it is dark')
    await page.reload({ waitUntil: 'networkidle0' })
    expect(await theme()).to.equal('dark')
    await button('Colours: dark').click()
  })

  it('has words for a take without frames, and reads one of a single frame', async () => {
    await importTake(take('empty-take', 0))
    await open('/takes/empty-take')
    await seen('There is no frame in this take')
    await importTake(take('single-take', 1))
    await open('/takes/single-take')
    await seen('frame 0')
    await untilLine('sim', '3.00')
    await page.keyboard.press('ArrowRight')
    expect(await textOf('frame-bar')).to.contain('frame 0')
  })

  it('says when a take was cut short, in the library and on the workbench', async () => {
    const whole = take('cut-off-take', 5)
    await importTake(whole.subarray(0, whole.length - 5))
    await open('/takes/cut-off-take')
    await seen('cut short')
    await seen('frame 0')
    await open('/')
    await seen('cut short')
  })

  it('records the demo game with live progress, stops it, and opens what was recorded', async () => {
    await open('/')
    await button('Record the demo game').click()
    await seen('letters are created on arrival')
    await page.locator('input[name=name]').fill('From the window')
    await page.locator('input[name=seconds]').fill('60')
    await button('none').click()
    await page.locator('input[name=lantern-all-pairs]').click()
    await page.locator('input[name=roll-call-nested]').click()
    await page.locator('select[name=trial]').fill('roost-awake')
    await page.locator('select[name=routes]').fill('jobs')
    await page.locator('input[name=ramp]').click()
    await button('Record 60 s').click()
    await seen('Recording the demo game')
    await until(
      async () => Number(/Recording the demo game: ([\d,]+) frame/.exec(await text())?.[1] ?? 0) > 30,
      'frames are counted',
    )
    await button('Stop and keep').click()
    await gone('Stop and keep')
    await seen('From the window')
    const newest = async () => (await getJson<TakeSummary[]>(server, '/api/takes?game=Moth%20Post'))[0]
    await until(async () => (await newest())?.state === 'complete', 'what was recorded is complete')
    const recorded = await newest()
    expect(recorded!.conditions.more!['flaws']).to.equal('lantern-all-pairs, roll-call-nested')
    expect(recorded!.conditions.more).to.include({ trial: 'roost-awake', routes: 'jobs' })
    expect(recorded!.conditions.load).to.contain('ramp')
    await page.locator('a ::-p-text(From the window)').click()
    await until(async () => Number((await line('moth.update'))[2]) > 5, 'the ledger is there')
    await page.keyboard.press('/')
    await page.keyboard.type('wind.job')
    await seen('wind worker')
    await open(`/takes/${recorded!.id}?sight=trial`)
    await seen('roost-awake')
  })
})
