/** What tests of the interface do on a page again and again. */
import { expect } from 'chai'
import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import type { Browser, Page } from 'puppeteer-core'
import type { RunningServer, ServerConfig } from '../../server/src/index.ts'
import { testServer, until } from '../../server/test/support.ts'
import { launchBrowser } from '../../../test/support/browser.ts'

const ROOT = join(import.meta.dirname, '../../..')

/**
 * A server that has no time says 503, and pages ask again: on a machine that stands for two seconds its database does
 * not answer in time. Whether what was asked for comes is what tests look at.
 */
const ASK_AGAIN = /status of 503/

/** A line of the ledger that is drawn. */
export const LEDGER_ROW = '[data-testid=ledger] tbody tr:not([aria-hidden])'

/**
 * A real browser on a real server, for all tests of the calling block. Each must leave `errors`, what went
 * wrong in the page, empty.
 * @param config of the server, asked for before it starts
 * @param expected what the browser itself says of failures that are part of the test
 */
export function useScreen(
  config: () => Promise<Partial<ServerConfig>> = async () => ({}),
  expected: RegExp = /^$/,
) {
  const errors: string[] = []
  let browser: Browser
  let current: { page: Page; server: RunningServer }
  const folder = mkdtempSync(join(tmpdir(), 'lapsus-web-'))

  before(async () => {
    const server = await testServer({
      webFolder: join(ROOT, 'packages/web/dist'),
      demoGame: join(ROOT, 'games/moth-post/dist/main.mjs'),
      gamePage: join(ROOT, 'games/moth-post/dist/page'),
      ...(await config()),
    })
    browser = await launchBrowser(join(folder, 'profile'))
    const page = await browser.newPage()
    // Far more than anything takes, on a machine that does other things as well.
    page.setDefaultTimeout(90_000)
    await page.setViewport({ width: 1280, height: 800 })
    page.on('pageerror', (error) => errors.push((error as Error).message))
    page.on('console', (message) => {
      const words = message.text()
      if (message.type() === 'error' && !expected.test(words) && !ASK_AGAIN.test(words)) errors.push(words)
    })
    current = { page, server }
  })
  after(async () => {
    await browser?.close()
    await current?.server.stop()
    rmSync(folder, { recursive: true, force: true })
  })
  afterEach(() => expect(errors.splice(0)).to.deep.equal([]))

  // They exist only once `before` has run.
  const page = standIn(() => current.page)
  const server = standIn(() => current.server)
  const open = (path: string) => page.goto(server.address + path, { waitUntil: 'networkidle0' })
  /** For views that go on asking the server. */
  const openLive = (path: string) => page.goto(server.address + path, { waitUntil: 'load' })
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
    const rows = await page.$$eval(LEDGER_ROW, (elements) =>
      elements.map((row) =>
        [...row.querySelectorAll('td')].map((cell) => (cell as HTMLElement).innerText.trim()),
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
    page,
    server,
    errors,
    folder,
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

/** Stands for an object that there is later. */
function standIn<T extends object>(now: () => T): T {
  return new Proxy({} as T, {
    get: (_, name) => {
      const value: unknown = Reflect.get(now(), name)
      return typeof value === 'function' ? (value as () => unknown).bind(now()) : value
    },
  })
}
