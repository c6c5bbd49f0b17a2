/** What tests of the interface do on a page again and again. */
import type { Browser, Page } from 'puppeteer-core'
import type { RunningServer } from '../../server/src/index.ts'
import { until } from '../../server/test/support.ts'

/** A page of the size that people have, which notes what goes wrong in it. */
export async function newPage(browser: Browser, errors: string[]): Promise<Page> {
  const page = await browser.newPage()
  await page.setViewport({ width: 1280, height: 800 })
  page.on('pageerror', (error) => errors.push((error as Error).message))
  page.on('console', (message) => message.type() === 'error' && errors.push(message.text()))
  return page
}

/** @param now gives the page and the server, which the tests' `before` makes */
export function screenTools(now: () => { page: Page; server: RunningServer }) {
  const page = new Proxy({} as Page, {
    get: (_, name) => {
      const target = now().page
      const value: unknown = Reflect.get(target, name)
      return typeof value === 'function' ? (value as () => unknown).bind(target) : value
    },
  })
  const open = (path: string) => page.goto(now().server.address + path, { waitUntil: 'networkidle0' })
  /** For views that go on asking the server. */
  const openLive = (path: string) => page.goto(now().server.address + path, { waitUntil: 'load' })
  const text = () => page.evaluate(() => document.body.innerText)
  const seen = (words: string) => until(async () => (await text()).includes(words), `“${words}” is shown`)
  const gone = (words: string) => until(async () => !(await text()).includes(words), `“${words}” is gone`)
  const textOf = (testId: string) =>
    page.$eval(`[data-testid=${testId}]`, (element) => (element as HTMLElement).innerText)
  const parameter = (name: string) => new URL(page.url()).searchParams.get(name)
  const untilParameter = (name: string, value: string | null) =>
    until(() => parameter(name) === value, `${name} is ${value}, not ${parameter(name)}`)
  /** A button by its words, or by the beginning of its label if it has only a picture. */
  const button = (label: string) =>
    page.locator(`::-p-xpath(//button[starts-with(@aria-label, "${label}") or contains(., "${label}")])`)

  /** Figures of the ledger line with this name: self, total, p99, calls, share. */
  async function line(name: string): Promise<string[]> {
    const rows = await page.$$eval('[role=row]', (elements) =>
      elements.map((row) =>
        [...row.querySelectorAll('[role=cell]')].map((cell) => (cell as HTMLElement).innerText.trim()),
      ),
    )
    return rows.find((cells) => cells[0]!.split('\n')[0] === name)?.slice(1) ?? []
  }
  const untilLine = (name: string, self: string) =>
    until(async () => (await line(name))[0] === self, `${name} has ${self}`)

  async function middleOf(testId: string): Promise<{ x: number; y: number; width: number; height: number }> {
    return page.$eval(`[data-testid=${testId}] canvas`, (canvas) => {
      const { x, y, width, height } = canvas.getBoundingClientRect()
      return { x, y, width, height }
    })
  }

  return {
    open,
    openLive,
    text,
    seen,
    gone,
    textOf,
    parameter,
    untilParameter,
    button,
    line,
    untilLine,
    middleOf,
  }
}
