/** The probe as a browser gets it: bundled, in a page of another port, sending to a real server. */
import { readAnswer } from '@lapsus/core/questions'
import { PAGE } from '@lapsus/core/questions/page'
import { expect } from 'chai'
import { buildSync } from 'esbuild'
import { mkdtempSync, rmSync } from 'node:fs'
import { createServer } from 'node:http'
import type { AddressInfo } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { gzipSync } from 'node:zlib'
import type { Page } from 'puppeteer-core'
import { type TakeDetail } from '@lapsus/api'
import { getJson, testServer, until } from '../../server/test/support.ts'
import { launchBrowser } from '../../../test/support/browser.ts'

const MOST_BYTES = 21_500

function bundle(contents: string): Uint8Array {
  const { outputFiles } = buildSync({
    stdin: { contents, resolveDir: join(import.meta.dirname, '../src') },
    bundle: true,
    minify: true,
    format: 'esm',
    platform: 'browser',
    write: false,
  })
  return outputFiles[0]!.contents
}

/** Opens a page of a port of its own that runs /game.js, and closes it after `work`. */
async function inPage(
  scripts: Record<string, Uint8Array>,
  work: (page: Page) => Promise<void>,
): Promise<void> {
  const site = createServer((request, response) => {
    const wanted = scripts[request.url ?? '']
    if (wanted !== undefined) response.writeHead(200, { 'content-type': 'text/javascript' }).end(wanted)
    else
      response
        .writeHead(200, { 'content-type': 'text/html' })
        .end('<script type="module" src="/game.js"></script>')
  })
  await new Promise<void>((resolve) => site.listen(0, '127.0.0.1', resolve))
  const folder = mkdtempSync(join(tmpdir(), 'lapsus-browser-'))
  const browser = await launchBrowser(folder)
  try {
    const page = await browser.newPage()
    await page.goto(`http://127.0.0.1:${(site.address() as AddressInfo).port}/`)
    await work(page)
  } finally {
    await browser.close()
    site.close()
    rmSync(folder, { recursive: true, force: true })
  }
}

describe('probe in a browser', () => {
  it('is small, with everything it depends on', () => {
    const whole = bundle(`export * from './browser.ts'`)
    expect(gzipSync(whole, { level: 9 }).length).to.be.below(MOST_BYTES)
  })

  it('knows where markers stand, through the maps of the page’s own scripts', async function () {
    // A game waits two seconds at its end; this machine may stand still for longer.
    this.retries(2)
    const server = await testServer()
    const to = server.address.replace('http', 'ws')
    const source = [
      'export interface Options { to: string }',
      "import { createProbe, type Probe } from './browser.ts'",
      '',
      `const options: Options = { to: '${to}' }`,
      "const probe: Probe = createProbe({ game: 'Placed page', to: options.to, take: 'placed-page-1' })",
      'const update: number =',
      "  probe.marker('update')",
      'let frames = 0',
      'setInterval(() => {',
      '  probe.frame()',
      '  probe.run(update, () => {})',
      "  if (++frames === 150) void probe.close().then(() => { document.title = 'done' })",
      '}, 10)',
    ].join('\n')
    const built = (sourcemap: 'inline' | 'external') => {
      const { outputFiles } = buildSync({
        stdin: {
          ...{ contents: source, loader: 'ts', sourcefile: 'src/game.ts' },
          resolveDir: join(import.meta.dirname, '../src'),
        },
        ...{ bundle: true, minify: true, format: 'esm', platform: 'browser', write: false },
        ...{ sourcemap, outfile: join(import.meta.dirname, '../src/game.js') },
      })
      const of = (ending: string) => outputFiles.find(({ path }) => path.endsWith(ending))?.contents
      return { script: of('.js')!, map: of('.js.map') }
    }
    const { script, map } = built('external')
    const linked = Buffer.concat([script, Buffer.from('\n//# sourceMappingURL=maps/game.js.map?v=1\n')])
    const placeIn = async (scripts: Record<string, Uint8Array>) => {
      await inPage(scripts, async (page) => {
        await page.waitForFunction(() => document.title === 'done', { timeout: 90_000 })
      })
      await until(
        async () => (await getJson<TakeDetail>(server, '/api/takes/placed-page-1')).state === 'complete',
        'the take is complete',
      )
      const { markers } = await getJson<TakeDetail>(server, '/api/takes/placed-page-1')
      await fetch(`${server.address}/api/takes/placed-page-1`, { method: 'DELETE' })
      return markers.find(({ name }) => name === 'update')!.at
    }
    try {
      // Named from where the map lies.
      expect(await placeIn({ '/game.js': linked, '/maps/game.js.map?v=1': map! })).to.deep.equal({
        ...{ file: 'maps/src/game.ts', line: 7, source: null },
      })
    } finally {
      await server.stop()
    }
  })

  it('takes any calls with any arguments, and any options, without throwing', async () => {
    const script = bundle(`
      import fc from 'fast-check'
      import { createProbe } from './browser.ts'
      console.warn = () => {}
      import { anything, calls, play } from '../test/calls.ts'
      const sink = () => ({ hasRoom: () => true, put: () => {}, close: async () => {} })
      // Once the page has loaded: it takes a while.
      setTimeout(() => { try {
        fc.assert(fc.property(calls, (list) => {
          const probe = createProbe({ game: 'Page', to: sink(), onProblem: () => {} })
          probe.frame()
          play(probe, list)
          probe.frame()
          void probe.close()
        }), { numRuns: 60 })
        fc.assert(fc.property(anything, anything, (all, one) => {
          for (const options of [all, { game: one, target: one, to: sink(), take: one, conditions: one, bufferMb: one,
              heap: one, mode: one, keepSeconds: one, tripwires: one }]) {
            const probe = createProbe(options)
            probe.frame()
            probe.frame()
            void probe.close()
          }
        }), { numRuns: 60 })
        document.title = 'done'
      } catch (error) {
        document.title = String(error.stack ?? error)
      } })`)
    await inPage({ '/game.js': script }, async (page) => {
      await page.waitForFunction(() => document.title !== '', { timeout: 40_000 })
      expect(await page.title()).to.equal('done')
    })
  })

  it('records a page’s frames, and the jobs of a web worker beside them', async function () {
    // A game waits two seconds at its end; this machine may stand still for longer.
    this.retries(2)
    const server = await testServer()
    const script = bundle(`
      import { createProbe } from './browser.ts'
      const probe = createProbe({ game: 'Page', target: 120, to: ${JSON.stringify(server.address.replace('http', 'ws'))} })
      const DRAW = probe.marker('draw')
      const WORK = probe.marker('work')
      const worker = new Worker('/lane.js', { type: 'module' })
      await new Promise((resolve) => worker.onmessage = resolve)
      let frames = 0
      async function loop() {
        probe.frame()
        probe.run(DRAW, () => { document.title = 'frame ' + frames })
        if (frames === 12) worker.postMessage(probe.dispatch(WORK))
        if (++frames < 30) requestAnimationFrame(loop)
        else { await probe.close(); document.title = 'done' }
      }
      loop()`)
    const lane = bundle(`
      import { createProbe } from './browser.ts'
      const lane = createProbe({ game: 'Page' }).lane('web worker')
      const WORK = lane.marker('work')
      onmessage = ({ data: job }) => {
        lane.beginJob(job, WORK)
        const end = performance.now() + 3
        while (performance.now() < end);
        lane.endJob(job, WORK)
      }
      postMessage('ready')`)
    await inPage({ '/game.js': script, '/lane.js': lane }, async (page) => {
      await page.waitForFunction(() => document.title === 'done', { timeout: 90_000 })
      const newest = async () => (await getJson<TakeDetail[]>(server, '/api/takes'))[0]
      await until(async () => (await newest())?.state === 'complete', 'the take is complete')
      const take = await newest()
      expect(take).to.include({ game: 'Page', target: 120, frames: 30 })
      expect(take!.conditions.runtime).to.contain('Chrome')
      expect(take!.conditions.device).to.match(/^.+, \d+ processors$/)
      expect(take!.conditions.recorder!.clockResolutionNs).to.be.greaterThan(0)
      // The worker's job lies after its dispatch, on a clock aligned with the page's.
      const { lanes } = await getJson<TakeDetail>(server, `/api/takes/${take!.id}`)
      expect(lanes.map(({ name }) => name)).to.deep.equal(['main', 'web worker'])
      const bytes = await (await fetch(`${server.address}/api/takes/${take!.id}/pages/12`)).arrayBuffer()
      const [job] = readAnswer(PAGE, new Uint8Array(bytes)).jobs
      expect([job!.dispatched!.lane, job!.begun!.lane]).to.deep.equal([0, 1])
      expect(job!.begun!.atNs - job!.dispatched!.atNs).to.be.within(-1e6, 5e9)
      expect(job!.ended!.atNs - job!.begun!.atNs).to.be.within(3e6, 5e9)
    })
    await server.stop()
  })
})
