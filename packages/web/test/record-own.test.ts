/** From an empty folder to the findings of an own game, with nothing but what the screen says. */
import { expect } from 'chai'
import { spawn, type ChildProcess } from 'node:child_process'
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import type { TakeDetail } from '@lapsus/api'
import type { LedgerAnswer } from '@lapsus/core/questions/ledger'
import { LANGUAGE_NAMES } from '../src/record-own/languages.ts'
import { whatArrives } from '../src/record-own/what-arrives.ts'
import { begunSince } from '../src/state/begun-since.ts'
import { freePort } from '../../../scripts/setup/database.mjs'
import { until } from '../../server/test/support.ts'
import { useScreen } from './support.ts'

const ROOT = join(import.meta.dirname, '../../..')

describe('recording an own game', () => {
  const { page, open, seen, textOf } = useScreen(async () => ({
    packages: join(ROOT, 'dist/packages'),
  }))

  function sh(command: string, cwd: string): { child: ChildProcess; ended: Promise<string> } {
    const child = spawn('sh', ['-c', command], { cwd, stdio: ['ignore', 'pipe', 'pipe'], detached: true })
    let said = ''
    child.stdout!.on('data', (data) => (said += data))
    child.stderr!.on('data', (data) => (said += data))
    const ended = new Promise<string>((resolve, reject) => {
      child.once('close', (code) => (code === 0 ? resolve(said) : reject(new Error(`${command}: ${said}`))))
    })
    ended.catch(() => {})
    return { child, ended }
  }

  for (const language of LANGUAGE_NAMES) {
    it(`in ${language} is done by the lines of the screen`, async () => {
      const folder = mkdtempSync(join(tmpdir(), 'lapsus-own-'))
      await open(`/record?language=${language}`)
      await seen('Waiting for a game to begin')
      expect(await page.$eval('ol', (steps) => steps.innerText)).to.not.contain('asks for a key')
      const file = /as in this small game: (\S+)/.exec(
        await page.$eval('main', (main) => main.innerText),
      )![1]!
      let served: ChildProcess | null = null
      try {
        const get = language === 'page' ? null : await textOf('step-get')
        if (get !== null) await sh(get, folder).ended
        writeFileSync(
          join(folder, file),
          await page.$eval('[data-testid=step-code]', (pre) => pre.textContent),
        )
        const run = await textOf('step-run')
        if (language === 'page') {
          const port = await freePort()
          served = sh(run.replace('8000', String(port)), folder).child
          const game = await page.browser().newPage()
          const address = `http://127.0.0.1:${port}/${file}`
          await until(async () => (await game.goto(address).catch(() => null)) !== null, 'the page is served')
          await seen('has ended')
          await game.close()
        } else await sh(run, folder).ended
        await until(async () => (await page.$('[data-testid=own-findings]')) !== null, 'findings are shown')
        // Two of three updates change nothing, and say so.
        expect(await textOf('own-findings')).to.match(
          /thing\.update runs .* a frame, and .* of these change nothing/,
        )
        expect(await textOf('own-figures')).to.match(/frames a second\s+\d/)
        expect(await textOf('arriving')).to.contain('No moments')
        await page.click('[data-testid=arriving] a')
        await page.waitForSelector('nav[aria-label=Views]')
      } finally {
        if (served !== null) process.kill(-served.pid!, 'SIGKILL')
        rmSync(folder, { recursive: true, force: true })
      }
    })
  }

  it('is one click from the library', async () => {
    await open('/')
    await page.locator('::-p-xpath(//a[text()="Record your own game"])').click()
    await seen('In the folder of your game')
  })
})

describe('the take that began since', () => {
  const take = (id: string, state: 'recording' | 'complete' = 'complete') => ({ id, state })
  const found = (before: string[], takes: ReturnType<typeof take>[]) => begunSince(new Set(before), takes)?.id

  it('is the newest that was not there, as it goes on or over already', () => {
    expect(found(['b', 'a'], [take('b'), take('a')])).to.equal(undefined)
    expect(found(['b', 'a'], [take('c', 'recording'), take('b'), take('a')])).to.equal('c')
    expect(found(['b', 'a'], [take('d'), take('c'), take('b')])).to.equal('d')
    expect(found([], [take('a')])).to.equal('a')
    // One that is recorded since before, or whose clock is behind, stands further down.
    expect(found(['b'], [take('b'), take('a', 'recording')])).to.equal('a')
  })

  it('is none that comes into sight because another was deleted', () => {
    expect(found(['c', 'b'], [take('b'), take('a')])).to.equal(undefined)
  })
})

describe('what arrives', () => {
  const marker = (id: number, kind = 'work') => ({
    id,
    name: `m${id}`,
    group: '',
    groupId: 0,
    kind,
    tags: [],
    watches: [],
  })
  const row = (key: number, selfMs: number, calls: number, said = 0) => ({ key, selfMs, calls, said })
  const LANE = 16_384
  const detail = (more: Partial<TakeDetail> = {}) =>
    ({
      ...{ frames: 100, durationMs: 1600, repaired: 2, markers: [marker(0), marker(1, 'wait:refresh')] },
      ...{ gauges: [], moments: [] },
      conditions: { recorder: { spanNs: 200, clockReadNs: 50, clockResolutionNs: 1000, insideNs: 60 } },
      ...more,
    }) as unknown as TakeDetail
  const ledger = (rows: object[]) => ({ rows }) as unknown as LedgerAnswer
  const valueOf = (name: string, ...of: Parameters<typeof whatArrives>) =>
    whatArrives(...of).figures.find((figure) => figure.name === name)?.value

  it('tells frames a second, time in no marker, the clock’s step and the cost', () => {
    // 1,600 ms of 100 frames, of which 400 ms are marked on the main lane; another lane counts for runs alone.
    const of = [detail(), ledger([row(0, 400, 1000), row(LANE, 900, 500)])] as const
    expect(valueOf('frames a second', ...of)).to.equal('62.5')
    expect(valueOf('runs of markers', ...of)).to.equal('15.0 a frame')
    expect(valueOf('in no marker', ...of)).to.equal('12.0 ms of 16.0 ms')
    expect(valueOf('clock step', ...of)).to.equal('1.00 µs')
    expect(valueOf('recording costs', ...of)).to.equal('0.00300 ms a frame')
    expect(valueOf('mended', ...of)).to.equal('2 calls')
    expect(whatArrives(...of).outside).to.deep.equal({ ms: 12, ofMs: 16 })
  })

  it('asks after time outside markers only where it is a quarter of the frame', () => {
    const outside = (markedMs: number) => whatArrives(detail(), ledger([row(0, markedMs, 1)])).outside
    expect(outside(1199)).to.not.equal(null)
    expect(outside(1200)).to.equal(null)
  })

  it('names what is missing, and no more', () => {
    const all = whatArrives(detail(), ledger([row(0, 400, 10)])).missing
    expect(all.map((one) => one.split(':')[0])).to.deep.equal([
      'Nothing is marked as waiting',
      'No run says whether it changed anything',
      'No gauges',
      'No moments',
    ])
    const rich = detail({ gauges: [{ id: 0 }], moments: [{ name: 'bell' }] } as never)
    expect(whatArrives(rich, ledger([row(0, 400, 10, 3), row(1, 900, 100)])).missing).to.deep.equal([])
    // A wait on another lane is no wait of the frame.
    expect(whatArrives(rich, ledger([row(0, 400, 10, 3), row(LANE + 1, 900, 100)])).missing).to.have.length(1)
  })

  it('says nothing wrong of a take without frames', () => {
    const none = whatArrives(detail({ frames: 0, durationMs: 0 }), ledger([]))
    expect(none.figures[0]!.value).to.equal('–')
    expect(none.outside).to.equal(null)
  })
})
