/** What the overlay costs a game on the page's own thread, a frame. */
import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { buildSync } from 'esbuild'
import { launchBrowser } from '../test/support/browser.ts'

const FRAMES = 600

export async function measureOverlay() {
  const { outputFiles } = buildSync({
    entryPoints: [join(process.cwd(), 'packages/probe/src/overlay/index.ts')],
    bundle: true,
    minify: true,
    format: 'iife',
    globalName: 'lapsus',
    platform: 'browser',
    write: false,
  })
  const profile = mkdtempSync(join(tmpdir(), 'lapsus-overlay-'))
  const browser = await launchBrowser(profile)
  try {
    const page = await browser.newPage()
    await page.evaluate(outputFiles[0]!.text)
    return await page.evaluate(async (frames) => {
      const { createOverlay } = (
        globalThis as unknown as { lapsus: { createOverlay(): { frame(ms: number): void } } }
      ).lapsus
      const overlay = createOverlay()
      let totalMs = 0
      let worstMs = 0
      let lastMs = performance.now()
      for (let i = 0; i < frames; i++) {
        await new Promise((resolve) => requestAnimationFrame(resolve))
        const startMs = performance.now()
        overlay.frame(startMs - lastMs)
        const ownMs = performance.now() - startMs
        lastMs = startMs
        totalMs += ownMs
        worstMs = Math.max(worstMs, ownMs)
      }
      return { meanMs: totalMs / frames, worstMs }
    }, FRAMES)
  } finally {
    await browser.close()
    rmSync(profile, { recursive: true, force: true })
  }
}
