/** Redraws of the live view while a game sends 60 frames a second of 2,000 spans each. */
import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { WebSocket } from 'ws'
import { emptyChunk, encodeRecord, type ChunkRecord } from '@lapsus/core/format'
import { launchBrowser } from '../test/support/browser.ts'
import { declaration } from './made-up-take.ts'
import { summary } from './statistics.ts'

const TAKE = 'live-bench-take'
const FRAMES_PER_CHUNK = 30
const SPANS = 2_000
const FRAME_NS = 1e9 / 60
const WATCH_MS = 12_000

export async function measureLive(address: string) {
  const socket = new WebSocket(`${address.replace('http', 'ws')}/ingest`)
  await new Promise((resolve) => socket.once('open', resolve))
  const started = new Date().toISOString()
  const head = {
    record: 'take',
    lapsus: 1,
    take: TAKE,
    game: 'Live',
    target: 60,
    started,
    conditions: {},
  } as const
  socket.send(encodeRecord(head))
  socket.send(encodeRecord(declaration))
  let sent = 0
  const send = () => socket.send(encodeRecord(chunk(sent++)))
  for (let i = 0; i < 10; i++) send()
  const timer = setInterval(send, 500)
  const profile = mkdtempSync(join(tmpdir(), 'lapsus-live-'))
  const browser = await launchBrowser(profile)
  try {
    const page = await browser.newPage()
    await page.setViewport({ width: 1280, height: 800 })
    await page.goto(`${address}/takes/${TAKE}`, { waitUntil: 'load' })
    await page.waitForSelector('[data-testid=live-strip] canvas[data-draw-ms]')
    await new Promise((resolve) => setTimeout(resolve, 3_000))
    const redraws = await page.evaluate(async (watchMs) => {
      const strip = document.querySelector<HTMLElement>('[data-testid=live-strip] canvas')!
      const taken: number[] = []
      new MutationObserver(() => taken.push(Number(strip.dataset['drawMs']))).observe(strip, {
        attributes: true,
        attributeFilter: ['data-draw-ms'],
      })
      await new Promise((resolve) => setTimeout(resolve, watchMs))
      return taken
    }, WATCH_MS)
    return { redraws: redraws.length, seconds: WATCH_MS / 1000, ms: summary(redraws) }
  } finally {
    clearInterval(timer)
    socket.close()
    await browser.close()
    rmSync(profile, { recursive: true, force: true })
  }
}

/** Half a second of frames, each of flat spans in ten systems. */
function chunk(index: number): ChunkRecord {
  const spans = FRAMES_PER_CHUNK * SPANS
  const first = index * FRAMES_PER_CHUNK
  const starts = Float64Array.from({ length: FRAMES_PER_CHUNK }, (_, i) => Math.round((first + i) * FRAME_NS))
  return {
    ...emptyChunk(index + 2),
    frameStartNs: starts,
    frameDurationNs: new Float64Array(FRAMES_PER_CHUNK).fill(Math.round(FRAME_NS)),
    steps: new Uint32Array(FRAMES_PER_CHUNK),
    lanes: [
      {
        lane: 0,
        count: new Uint32Array(FRAMES_PER_CHUNK).fill(SPANS),
        marker: Uint32Array.from({ length: spans }, (_, i) => i % 50),
        startNs: Float64Array.from(
          { length: spans },
          (_, i) => starts[Math.floor(i / SPANS)]! + (i % SPANS) * 6_000,
        ),
        durationNs: Float64Array.from({ length: spans }, (_, i) => 3_000 + ((i * 7919) % 2_000)),
        depth: new Uint8Array(spans),
      },
    ],
  }
}
