/** Every screen, light and dark: nothing that axe-core objects to, and words for what is drawn. */
import axe from 'axe-core'
import { expect } from 'chai'
import { bytesOf } from '../../core/test/support/takes.ts'
import { nightRecords } from '../../core/test/support/night.ts'
import { SIGHT_NAMES } from '../src/lists/sight-names.ts'
import { useScreen } from './support.ts'

describe('what everybody can use', () => {
  const { page, server, open, seen, button } = useScreen(undefined, /404/)
  let plan = ''

  before(async () => {
    const imported = await fetch(`${server.address}/api/imports`, {
      method: 'POST',
      body: bytesOf(nightRecords('usable-night')) as BodyInit,
    })
    expect(imported.ok, await imported.clone().text()).to.equal(true)
    const made = await fetch(`${server.address}/api/takes/usable-night/plans`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({
        ...{ format: 'lapsus-plan', version: 1, name: 'a plan' },
        items: [{ remedy: 'react', path: ['sim', 'text'], effort: 'small', on: true }],
      }),
    })
    expect(made.ok, await made.clone().text()).to.equal(true)
    plan = ((await made.json()) as { id: string }).id
  })

  /** What axe-core says is wrong on the screen, one line each, and canvases without words for what they show. */
  async function complaints(): Promise<string[]> {
    await page.evaluate(axe.source)
    await wear('light')
    const light = await violations({ resultTypes: ['violations'] })
    // Nothing but colours differs.
    await wear('dark')
    const dark = await violations({ runOnly: ['color-contrast'] })
    await wear('light')
    const silent = await page.$$eval('canvas', (all) =>
      all
        .filter(
          (one) =>
            one.closest('[aria-hidden=true]') === null && !(one.getAttribute('aria-label') ?? '').trim(),
        )
        .map((one) => one.outerHTML),
    )
    return [...light, ...dark.map((one) => `dark: ${one}`), ...silent]
  }

  const wear = async (value: 'light' | 'dark') => {
    await page.emulateMediaFeatures([{ name: 'prefers-color-scheme', value }])
    await page.waitForFunction((theme) => document.documentElement.dataset['theme'] === theme, {}, value)
  }

  async function violations(options: axe.RunOptions): Promise<string[]> {
    const { violations } = await page.evaluate(
      (options) => (window as unknown as { axe: typeof axe }).axe.run(document, options),
      options,
    )
    return violations.flatMap(({ id, nodes }) =>
      nodes.map(({ target, html }) => `${id}: ${target.join(' ')} ${html}`),
    )
  }

  /** Sets what a person would have set, before the page is opened. */
  async function settings(planOpen: boolean): Promise<void> {
    await page.evaluate(
      (state) => localStorage.setItem('lapsus-settings', JSON.stringify({ state, version: 0 })),
      { theme: 'system', planOpen, findingsOpen: true, liveSeconds: 10 },
    )
  }

  describe('light and dark', () => {
    it('library', async () => {
      await open('/')
      await seen('Game')
      expect(await complaints()).to.deep.equal([])
    })

    it('recording the demo game', async () => {
      await open('/')
      await button('Record the demo game').click()
      await seen('Flaws')
      expect(await complaints()).to.deep.equal([])
      await page.keyboard.press('Escape')
    })

    it('recording an own game', async () => {
      await open('/record?language=c')
      await seen('Waiting for a game')
      expect(await complaints()).to.deep.equal([])
    })

    it('comparison', async () => {
      await open('/compare?before=usable-night&after=usable-night')
      await page.waitForSelector('[data-testid=comparison-words]')
      expect(await complaints()).to.deep.equal([])
    })

    it('a frame beside its counterpart', async () => {
      await open('/compare?before=usable-night&after=usable-night')
      await page.waitForSelector('[aria-label="Frame before"]')
      await page.focus('[aria-label="Frame before"]')
      await page.keyboard.press('ArrowRight')
      await page.waitForFunction(
        () => document.querySelectorAll('[data-testid=two-pages] canvas[data-draw-ms]').length === 2,
      )
      expect(await complaints()).to.deep.equal([])
    })

    it('takes that are chosen, and held against a budget', async () => {
      await open('/')
      await page.locator('[data-testid=take-row] input').click()
      await page.waitForSelector('[data-testid=chosen-takes]')
      expect(await complaints()).to.deep.equal([])
      await open('/check?takes=usable-night')
      await button('Make one of this take').click()
      await page.waitForFunction(() => document.querySelector('textarea')?.value !== '')
      await page.locator('[aria-label=Budget] button:not([disabled])::-p-text(Check)').click()
      await page.waitForSelector('[data-testid=check-words]')
      expect(await complaints()).to.deep.equal([])
    })

    for (const view of ['history', 'devices', 'tried']) {
      it(`a game: ${view}`, async () => {
        await open(`/game?name=Test+Game&view=${view}`)
        await page.waitForSelector(`[data-testid=${view}]`)
        expect(await complaints()).to.deep.equal([])
      })
    }

    for (const sight of SIGHT_NAMES) {
      it(sight, async () => {
        await settings(sight === 'forecast' || sight === 'proof')
        await open(`/takes/usable-night?sight=${sight}&plan=${plan}`)
        await page.waitForSelector('canvas')
        expect(await complaints()).to.deep.equal([])
      })
    }

    it('help', async () => {
      await open('/takes/usable-night')
      await button('Keys').click()
      await page.waitForSelector('[role=dialog]')
      expect(await complaints()).to.deep.equal([])
    })

    it('no such address', async () => {
      await open('/nowhere')
      expect(await complaints()).to.deep.equal([])
    })
  })

  for (const [path, ...shown] of [
    ['/', '[data-testid=take-row]'],
    ['/takes/usable-night', '[data-testid=finding]', '[data-testid=page] canvas[data-draw-ms]'],
    ['/takes/usable-night?sight=roster', '[data-testid=finding]'],
  ] as const)
    it(`shows where the keyboard is, all the way through ${path}`, async () => {
      await open(path)
      for (const selector of shown) await page.waitForSelector(selector)
      const reached = new Set<string>()
      for (let stop = 0; stop < 120; stop++) {
        await page.keyboard.press('Tab')
        const at = await page.evaluate(() => {
          const { activeElement } = document
          if (activeElement === null || activeElement === document.body) return null
          const { outlineStyle, outlineWidth } = getComputedStyle(activeElement)
          const { width, height } = activeElement.getBoundingClientRect()
          return {
            what: activeElement.outerHTML.slice(0, 120),
            button:
              activeElement.tagName === 'BUTTON'
                ? activeElement.getAttribute('aria-label') || activeElement.textContent
                : null,
            seen: outlineStyle !== 'none' && parseFloat(outlineWidth) > 0 && width > 0 && height > 0,
          }
        })
        if (at === null) break
        expect(at.seen, at.what).to.equal(true)
        if (at.button !== null) reached.add(at.button ?? '')
      }
      const buttons = await page.$$eval('button', (all) =>
        all
          .filter((one) => !one.disabled && one.tabIndex >= 0 && one.checkVisibility())
          .map((one) => one.getAttribute('aria-label') || one.textContent),
      )
      expect(buttons.filter((name) => !reached.has(name ?? '')).slice(0, 3)).to.deep.equal([])
    })
})
