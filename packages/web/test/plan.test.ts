/** Planning on the screen: from a finding to a forecast, undo, budgets, and the proof. */
import { expect } from 'chai'
import type { NumberInput } from '@lapsus/core/remedy'
import { nightRecords } from '../../core/test/support/night.ts'
import { bytesOf } from '../../core/test/support/takes.ts'
import { until } from '../../server/test/support.ts'
import { spanOf, stepOf, tidy } from '../src/plan/scale.ts'
import { useScreen } from './support.ts'

describe('sliders of inputs', () => {
  const input = (more: Partial<NumberInput>): NumberInput => ({
    ...{ sort: 'number', name: 'x', words: 'x', about: '', unit: '', origin: 'assumed' },
    ...{ least: 0, most: Number.MAX_SAFE_INTEGER, whole: false, suggested: 2, others: [] },
    ...more,
  })

  it('span what is of use, and always the value itself', () => {
    expect(spanOf(input({}), 2)).to.deep.equal({ least: 0, most: 8 })
    expect(spanOf(input({}), 40)).to.deep.equal({ least: 0, most: 40 })
    expect(spanOf(input({ unit: '%', most: 100 }), 2)).to.deep.equal({ least: 0, most: 100 })
    expect(spanOf(input({ suggested: 0 }), 0)).to.deep.equal({ least: 0, most: 1 })
    expect(spanOf(input({ least: 1, most: 3, whole: true }), 1)).to.deep.equal({ least: 1, most: 3 })
  })

  it('move in whole steps where values are whole', () => {
    expect(stepOf(input({ whole: true }), { least: 0, most: 1000 })).to.equal(5)
    expect(stepOf(input({ whole: true }), { least: 0, most: 8 })).to.equal(1)
    expect(tidy(1.23456, false)).to.equal(1.23)
    expect(tidy(7.6, true)).to.equal(8)
  })
})

describe('planning', () => {
  const screen = useScreen()
  const { page, server, open, seen, gone, textOf, button, untilParameter } = screen
  const importTake = (take: string) =>
    fetch(`${server.address}/api/imports`, { method: 'POST', body: bytesOf(nightRecords(take)) as BodyInit })
  before(async () => {
    await importTake('planned-night')
    await importTake('mended-night')
  })
  const items = () =>
    page.$$eval('[data-testid=plan-item]', (all) => all.map((one) => one.getAttribute('data-remedy')))
  const untilItems = (wanted: string[]) =>
    until(async () => (await items()).join() === wanted.join(), `the plan is ${wanted.join()}`)
  const sum = async () => ((await page.$('[data-testid=plan-sum]')) === null ? '' : textOf('plan-sum'))
  const press = async (keys: string[]) => {
    for (const key of keys.slice(0, -1)) await page.keyboard.down(key as 'Control')
    await page.keyboard.press(keys.at(-1) as 'z')
    for (const key of keys.slice(0, -1)) await page.keyboard.up(key as 'Control')
  }

  it('begins at a finding, which offers what fits with its gain', async () => {
    await open('/takes/planned-night')
    await page.locator('[data-testid=finding][data-kind=needless-updates] button').click()
    await until(async () => (await page.$('[data-testid=options]')) !== null, 'the options are there')
    const offers = await textOf('options')
    expect(offers).to.match(/gate[\s\S]*0\.7\d+ ms/)
    expect(offers).to.contain('sleep')
    // What would bring nothing is folded away.
    expect(offers).to.not.contain('by distance')
    await page.locator('[data-testid=options] button[aria-expanded=false]').click()
    await until(async () => (await textOf('options')).includes('by distance'), 'the others are there')
    // What is long scrolls in its column; the page itself stays as large as the window.
    await page.setViewport({ width: 1280, height: 380 })
    expect(await page.evaluate(() => document.documentElement.scrollHeight - window.innerHeight)).to.equal(0)
    await page.setViewport({ width: 1280, height: 800 })
    await button('Plan: gate').click()
    await untilItems(['gate'])
    await until(async () => (await sum()).includes('→'), 'the forecast is there')
  })

  it('shows the forecast, what it hangs on, and the frames that stay over', async () => {
    await page.locator('[data-testid=plan-sum]').click()
    await untilParameter('sight', 'forecast')
    await seen('with the plan')
    await seen('Still over')
    await until(async () => (await page.$('[data-testid=weights]')) !== null, 'the weights are there')
    expect(await textOf('forecast')).to.contain('work p95')
    expect(await textOf('still-over')).to.contain('search')
  })

  it('redraws when a parameter is dragged, and takes changes back', async () => {
    const before = await sum()
    await page.focus('[data-name=passes] [role=slider]')
    for (let i = 0; i < 4; i++) await page.keyboard.press('PageUp')
    await until(async () => (await sum()) !== before, 'the forecast is another')
    await page.evaluate(() => (document.activeElement as HTMLElement).blur())
    await press(['Control', 'z'])
    await until(async () => (await sum()) === before, 'the forecast is as before')
    await press(['Control', 'Shift', 'z'])
    await until(async () => (await sum()) !== before, 'the change is made again')
    await press(['Control', 'z'])
  })

  it('keeps the plan on the server: another visit finds it', async () => {
    await until(async () => (await screen.text()).includes('gate'), 'the plan is there')
    await new Promise((resolve) => setTimeout(resolve, 700))
    await open('/takes/planned-night?sight=forecast')
    await untilItems(['gate'])
    await seen('with the plan')
  })

  it('lets any path be given a remedy, and says why one does nothing', async () => {
    await open('/takes/planned-night?sight=ledger&path=1')
    await until(async () => (await page.$('[data-testid=course-card]')) !== null, 'the card is there')
    await page.locator('button[aria-label="Plan a remedy for this path"]').click()
    await page.locator('::-p-xpath(//*[@role="menuitem"][.="reuse"])').click()
    await untilItems(['gate', 'reuse'])
    await until(async () => /does nothing|ms/.test(await textOf('plan')), 'it is worked out')
  })

  it('reads a frame as it would have been', async () => {
    await open('/takes/planned-night?frame=61')
    await button('with the plan').click()
    await untilParameter('frames-as', 'planned')
    await until(async () => (await page.$('[data-testid=planned-work]')) !== null, 'its work is told')
    expect(await textOf('planned-work')).to.match(/→ \d/)
  })

  it('splits the budget among groups, and shows each against its share', async () => {
    await open('/takes/planned-night?sight=ledger&by=group')
    const polling = '[data-testid=finding][data-kind=polling]'
    const topOf = () => page.$eval(polling, (card) => card.getBoundingClientRect().top)
    await page.waitForSelector(polling)
    const top = await topOf()
    await button('Budgets of groups').click()
    await page.locator('input[aria-label="Budget of board, ms"]').fill('0.3')
    await button('Keep').click()
    await seen('over its 0.300 ms')
    // What comes of it does not move what one is about to click.
    await seen('over their share')
    expect(await topOf()).to.equal(top)
    await page.locator(`${polling} button`).click()
    await until(
      async () => (await page.$('[data-testid=group-share]')) !== null,
      'the finding tells the share',
    )
    expect(await textOf('group-share')).to.match(/group board takes 0\.\d+ ms of its 0\.300 ms/)
  })

  it('proves it: before, forecast and after side by side', async () => {
    await open('/takes/planned-night?sight=proof')
    await seen('No take is named yet')
    await page.select('select[aria-label="Take recorded with the fix"]', 'mended-night')
    await seen('Load and conditions of both sides are alike')
    expect(await textOf('proof-words')).to.match(/were forecast; what came out lies (in|outside) its range/)
    const proof = await textOf('proof')
    expect(proof).to.contain('work p50')
    expect(proof).to.match(/as aimed|further off/)
    expect(proof).to.contain('at equal speed')
    // Another night besides counts with it.
    await page.select('select[aria-label="Another take recorded with the fix"]', 'mended-night')
    await seen('Open take 2 recorded with the fix')
    await button('Do not count this take').click()
    await gone('Open take 2 recorded with the fix')
  })

  it('goes out as JSON and comes in again, with problems named', async () => {
    await open('/takes/planned-night')
    const text = JSON.stringify({
      ...{ format: 'lapsus-plan', version: 1, name: 'from a file' },
      items: [{ remedy: 'magic' }, { remedy: 'drop', path: ['sim', 'text'] }],
    })
    const input = await page.$('input[aria-label="Plan as JSON or Markdown"]')
    await page.evaluate(
      (element, json) => {
        const files = new DataTransfer()
        files.items.add(new File([json], 'plan.json', { type: 'application/json' }))
        ;(element as HTMLInputElement).files = files.files
        element!.dispatchEvent(new Event('change', { bubbles: true }))
      },
      input,
      text,
    )
    await seen('there is no remedy "magic"')
    await untilItems(['drop'])
  })

  it('moves items by keyboard, and removes them with a way back', async () => {
    await button('Another plan').click()
    await untilItems([])
    await page.locator('[data-testid=finding][data-kind=needless-updates] button').click()
    await button('Plan: sleep').click()
    await untilItems(['sleep'])
    await button('Plan: gate').click()
    await untilItems(['sleep', 'gate'])
    await button('Earlier').click()
    await untilItems(['gate', 'sleep'])
    await button('Remove from the plan').click()
    await untilItems(['sleep'])
    await button('Undo').click()
    await untilItems(['gate', 'sleep'])
  })

  it('moves items by dragging them onto one another', async () => {
    await page.evaluate(() => {
      const [first, second] = document.querySelectorAll('[data-testid=plan-item]')
      const dataTransfer = new DataTransfer()
      for (const [element, name] of [
        [second, 'dragstart'],
        [first, 'dragover'],
        [first, 'drop'],
      ] as const) {
        element!.dispatchEvent(new DragEvent(name, { dataTransfer, bubbles: true, cancelable: true }))
      }
    })
    await untilItems(['sleep', 'gate'])
    await button('Take back').click()
    await untilItems(['gate', 'sleep'])
  })

  it('loses nothing when another plan is opened at once, or the page is left', async () => {
    await page.locator('input[aria-label="Name of the plan"]').fill('kept in time')
    await page.keyboard.press('Enter')
    await button('Another plan').click()
    await untilItems([])
    await button('Other plans of this game').click()
    await page.locator('::-p-xpath(//*[@role="menuitem"][starts-with(., "kept in time")])').click()
    await untilItems(['gate', 'sleep'])
    await button('Remove from the plan').click()
    await untilItems(['sleep'])
    await open('/takes/planned-night?sight=forecast')
    await untilItems(['sleep'])
  })
})
