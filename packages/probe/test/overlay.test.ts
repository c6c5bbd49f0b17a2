/** The overlay's figures, and its size and cost in a real page. */
import { expect } from 'chai'
import { buildSync } from 'esbuild'
import fc from 'fast-check'
import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { gzipSync } from 'node:zlib'
import { quantileSorted } from 'simple-statistics'
import { launchBrowser } from '../../../test/support/browser.ts'
import { percentile } from '@lapsus/core/stats'
import { FrameMeter } from '../src/overlay/meter.ts'

const MOST_BYTES = 3_000

describe('frame meter', () => {
  it('gives frames a second, the last frame and the p99 of the last ten seconds', () => {
    fc.assert(
      fc.property(
        fc.array(fc.integer({ min: 1, max: 400 }), { minLength: 1, maxLength: 900 }),
        (durations) => {
          const meter = new FrameMeter()
          for (const ms of durations) meter.add(ms)
          const { fps, frameMs, p99Ms, latestMs } = meter.figures()
          const last = (spanMs: number) => {
            const taken: number[] = []
            for (let sum = 0, i = durations.length - 1; i >= 0 && sum < spanMs; i--) {
              taken.push(durations[i]!)
              sum += durations[i]!
            }
            return taken
          }
          const second = last(1000)
          expect(fps).to.be.closeTo((1000 * second.length) / second.reduce((a, b) => a + b), 1e-6)
          expect(frameMs).to.equal(durations.at(-1))
          expect(p99Ms).to.be.closeTo(percentile(last(10_000), 0.99), 1e-4)
          expect([...latestMs]).to.deep.equal(durations.slice(-Math.min(60, last(10_000).length)))
        },
      ),
    )
    expect(quantileSorted([1, 2], 0.5)).to.equal(1.5)
  })

  it('has figures before the first frame, and forgets what is long ago', () => {
    const meter = new FrameMeter()
    expect(meter.figures()).to.deep.include({ fps: 0, frameMs: 0, p99Ms: 0 })
    for (let i = 0; i < 20_000; i++) meter.add(i < 15_000 ? 100 : 1)
    expect(meter.figures(5).p99Ms).to.be.within(1, 100)
    expect(meter.figures(5).heapBytes).to.equal(5)
  })
})

describe('overlay', () => {
  const { outputFiles } = buildSync({
    stdin: {
      contents: `export { createOverlay } from './overlay/index.ts'; export { createProbe } from './browser.ts'`,
      resolveDir: join(import.meta.dirname, '../src'),
    },
    bundle: true,
    minify: true,
    format: 'iife',
    globalName: 'lapsus',
    platform: 'browser',
    write: false,
  })

  it('is a few kB', () => {
    const alone = buildSync({
      entryPoints: [join(import.meta.dirname, '../src/overlay/index.ts')],
      bundle: true,
      minify: true,
      format: 'esm',
      platform: 'browser',
      write: false,
    })
    expect(gzipSync(alone.outputFiles[0]!.contents, { level: 9 }).length).to.be.below(MOST_BYTES)
  })

  it('measures a game that records nowhere, in a shadow root of its own, and says what it costs', async () => {
    const folder = mkdtempSync(join(tmpdir(), 'lapsus-overlay-'))
    const browser = await launchBrowser(folder)
    try {
      const page = await browser.newPage()
      await page.evaluate(outputFiles[0]!.text)
      const result = await page.evaluate(async () => {
        const { createOverlay, createProbe } = (
          globalThis as never as {
            lapsus: typeof import('../src/overlay/index.ts') & typeof import('../src/browser.ts')
          }
        ).lapsus
        const overlay = createOverlay({ target: 50, corner: 'bottom-right' })
        const probe = createProbe({ game: 'Nowhere' })
        let ownMs = 0
        let frames = 0
        probe.onFrame = (ms) => {
          const startMs = performance.now()
          overlay.frame(ms)
          ownMs += performance.now() - startMs
          frames++
        }
        for (let i = 0; i < 60; i++) {
          probe.frame()
          await new Promise((resolve) => requestAnimationFrame(resolve))
        }
        const host = document.body.lastElementChild!
        const label = host.getAttribute('aria-label')
        const shadow = host.shadowRoot?.querySelector('canvas') !== null
        overlay.remove()
        return {
          label,
          shadow,
          recording: probe.recording,
          left: document.body.contains(host),
          frames,
          ownMs,
        }
      })
      expect(result).to.include({ shadow: true, recording: false, left: false, frames: 59 })
      expect(result.label).to.match(/^\d+ frames a second, last [\d.]+ ms of 20.0, p99 [\d.]+ ms$/)
    } finally {
      await browser.close()
      rmSync(folder, { recursive: true, force: true })
    }
  })
})
