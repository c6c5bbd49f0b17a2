/**
 * Ingest, storage, queries and drawing, on the built server in a process of its own. Prints JSON.
 * Wants DATABASE_URL, and TEST_CHROMIUM for the path of the browser.
 */
import { endRecord } from '@lapsus/core/format'
import { spawn, type ChildProcess } from 'node:child_process'
import { mkdtempSync, readFileSync, rmSync } from 'node:fs'
import { request as httpRequest } from 'node:http'
import { json } from 'node:stream/consumers'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import type { Page } from 'puppeteer-core'
import type { TakeSummary } from '@lapsus/api'
import { exporter, EXPORT_FORMATS, type ExportFormat } from '@lapsus/core/exchange'
import { emptyPlan, newItem, planToJson } from '@lapsus/core/remedy'
import { median } from '@lapsus/core/stats'
import { chunk, chunks, declaration, EIGHT, FRAMES, SPANS_PER_FRAME } from './made-up-take.ts'
import { Game, takeRecord } from './game.ts'
import { measureBusy } from './busy.ts'
import { columnsAlone } from './columns.ts'
import { measureLibrary } from './library.ts'
import { measureLive } from './live.ts'
import { measureOverlay } from './overlay.ts'
import { serverMemory } from '../scripts/setup/server-memory.mjs'
import { launchBrowser } from '../test/support/browser.ts'
import { proofAlone } from './proof.ts'
import { measureStalls } from './stalls.ts'
import { repeat, summary, type Summary } from './statistics.ts'

const ROOT = process.cwd()
const TAKE = 'made-up-take'
const QUERIES = 60
const GAMES = 16
const CHUNKS_OF_MANY = 6
const SPANS_PER_CHUNK = 128 * SPANS_PER_FRAME
/** Of 128 frames each, in a file that is imported: 2.6 million spans, or, as OpenTelemetry, what such a file may hold. */
const IMPORT_CHUNKS = 40
const IMPORT_CHUNKS_OTLP = 10
/** Of each format. */
const IMPORTS = 3
/** Of a timeline of about 100 MB. */
const STALL_FRAMES = 2_000
/** The item of the plan whose slider is dragged: the sixth of eight. */
const DRAGGED = 'gate'
/** Parts of the take that are sent one by one. */
const PARTS = 4
/** Chunks under way before an acknowledgement is waited for. */
const WINDOW = 16

const VIEWS = {
  diagnosis: '/diagnosis',
  'ledger of spikes less typical frames': `/ledger?from=0&to=${FRAMES - 1}&scope=difference`,
  'one path': '/course?paths=3',
  memory: '/memory',
  roster: '/roster',
  scaling: '/scaling?path=3',
  waiting: '/waiting',
}

const { child, address } = await startServer()
const idleMb = residentMb(child)
const ingest = await measureIngest()
const figures = {
  ingest,
  memory: { idleMb, duringMb: ingest.residentMb },
  demo: await measureDemo(),
  queries: await measureQueries(),
  diagnosis: await measureDiagnosis(),
  afterQueriesMb: residentMb(child),
  drawing: await measureDrawing(),
  manyGames: await measureManyGames(),
  busy: await measureBusy(address, TAKE, () => residentMb(child)),
  imports: await measureImports(),
  stalls: await measureStalls(address, TAKE, Buffer.from(timelineOf(STALL_FRAMES))),
  live: await measureLive(address),
  overlay: await measureOverlay(),
}
child.kill('SIGTERM')
await new Promise((resolve) => child.once('exit', resolve))
console.log(JSON.stringify(figures))

function startServer(): Promise<{ child: ChildProcess; address: string }> {
  const server = spawn(process.execPath, [join(ROOT, 'packages/server/dist/main.mjs')], {
    stdio: ['ignore', 'ignore', 'inherit', 'ipc'],
    env: { ...serverMemory, ...process.env, PORT: '0', LOG_LEVEL: 'warn' },
  })
  return new Promise((resolve, reject) => {
    server.once('message', (message) =>
      resolve({ child: server, address: (message as { address: string }).address }),
    )
    server.once('exit', (code) => reject(new Error(`the server ended with code ${code}`)))
  })
}

function residentMb({ pid }: ChildProcess): number {
  return Number(/VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))![1]) / 1024
}

async function measureIngest() {
  const game = await Game.begin(address, TAKE)
  // Made beforehand, so that only the server is measured.
  const encoded = [...chunks()]
  const memory: number[] = []
  let sequence = 1
  const part = Math.ceil(encoded.length / PARTS)
  const shares: number[] = []
  const proving: number[] = []
  let ms = 0
  // In turns: the machine may change its pace within seconds.
  for (let first = 0; first < encoded.length; first += part) {
    const some = encoded.slice(first, first + part)
    const aloneMs = columnsAlone(some)
    const proofMs = proofAlone(some)
    const beganMs = performance.now()
    for (const bytes of some) {
      game.send(bytes)
      sequence++
      if (sequence % 20 === 0) memory.push(residentMb(child))
      await game.committed(sequence - WINDOW)
    }
    await game.committed(sequence)
    const ownMs = performance.now() - beganMs
    ms += ownMs
    shares.push(aloneMs / ownMs)
    proving.push(proofMs / ownMs)
  }
  await game.end(sequence + 1)
  const endedMs = performance.now()
  await get('/diagnosis')
  const diagnosisMs = performance.now() - endedMs
  const spans = FRAMES * SPANS_PER_FRAME
  const half = memory.length / 2
  return {
    spans,
    chunks: encoded.length,
    spansPerSecond: spans / (ms / 1000),
    columns: { median: median(shares), least: Math.min(...shares), most: Math.max(...shares) },
    proving: { median: median(proving), least: Math.min(...proving), most: Math.max(...proving) },
    diagnosisMs,
    residentMb: {
      firstHalf: Math.max(...memory.slice(0, half)),
      secondHalf: Math.max(...memory.slice(half)),
    },
    storedBytesPerSpan: (await takeSummary(TAKE)).storedBytes / spans,
  }
}

/** Sixteen games at once, each as fast as it is acknowledged. */
async function measureManyGames() {
  const encoded = [...chunks()].slice(0, CHUNKS_OF_MANY)
  const games = await Promise.all(
    Array.from({ length: GAMES }, (_, i) => Game.begin(address, `one-of-many-${i}`)),
  )
  const memory: number[] = []
  const startMs = performance.now()
  await Promise.all(
    games.map(async (game) => {
      for (const [i, bytes] of encoded.entries()) {
        game.send(bytes)
        await game.committed(i)
        memory.push(residentMb(child))
      }
      await game.end(encoded.length + 2)
    }),
  )
  const seconds = (performance.now() - startMs) / 1000
  const spans = GAMES * encoded.length * SPANS_PER_CHUNK
  return { games: GAMES, spans, spansPerSecond: spans / seconds, residentMb: Math.max(...memory) }
}

/** Spans a second from a file of each format, from the first byte sent to the answer: of several files, the one in the middle. */
async function measureImports() {
  const speeds: Record<string, number> = {}
  for (const format of EXPORT_FORMATS.filter((name) => name !== 'csv')) {
    const count = format === 'otlp' ? IMPORT_CHUNKS_OTLP : IMPORT_CHUNKS
    speeds[format] = await medianOf(IMPORTS, (round) =>
      importSpeed(fileOf(format, count, round), count * SPANS_PER_CHUNK, ''),
    )
  }
  const timeline = Buffer.from(timelineOf(IMPORT_CHUNKS * 128))
  speeds['timeline'] = await medianOf(IMPORTS, () =>
    importSpeed(timeline, IMPORT_CHUNKS * SPANS_PER_CHUNK, '?frameMarker=frame'),
  )
  return speeds
}

async function medianOf(rounds: number, measure: (round: number) => Promise<number>): Promise<number> {
  const measured: number[] = []
  for (let round = 0; round < rounds; round++) measured.push(await measure(round))
  return median(measured)
}

function fileOf(format: ExportFormat, count: number, round: number): Buffer {
  const write = exporter(format)
  const pieces = [write(takeRecord(`imported-${format}-${round}`)), write(declaration)]
  for (let i = 0; i < count; i++) pieces.push(write(chunk(i + 2, i * 128, 128)))
  pieces.push(write(endRecord(count + 2, 0)))
  return Buffer.concat(pieces.map((piece) => Buffer.from(piece)))
}

async function importSpeed(body: Buffer, spans: number, query: string): Promise<number> {
  const startMs = performance.now()
  const { frames } = await posted(`/api/imports${query}`, body)
  if (frames === 0) throw new Error('the import brought no frame')
  return spans / ((performance.now() - startMs) / 1000)
}

/** Without the copies that `fetch` makes of a large body, in the time that is measured. */
function posted(path: string, body: Buffer): Promise<{ frames: number }> {
  return new Promise((resolve, reject) => {
    const request = httpRequest(`${address}${path}`, { method: 'POST', agent: false }, (response) => {
      json(response).then((answer) => resolve(answer as { frames: number }), reject)
    })
    request.on('error', reject).end(body)
  })
}

/** Frames of as many measures, each 10 µs after the one before. */
function timelineOf(frames: number): string {
  const entries: object[] = []
  for (let frame = 0; frame < frames; frame++) {
    const startTime = frame * 16.7
    entries.push({ name: 'frame', entryType: 'measure', startTime, duration: 16.6 })
    for (let i = 0; i < SPANS_PER_FRAME; i++) {
      entries.push({
        name: `system ${i % 50}`,
        entryType: 'measure',
        startTime: startTime + i * 0.02,
        duration: 0.015,
      })
    }
  }
  return JSON.stringify(entries)
}

async function takeSummary(id: string): Promise<TakeSummary> {
  return (await (await fetch(`${address}/api/takes/${id}`)).json()) as TakeSummary
}

async function measureDemo() {
  const take = 'demo-take'
  const game = spawn(process.execPath, [join(ROOT, 'games/moth-post/dist/main.mjs'), '--seconds', '20'], {
    env: { ...process.env, LAPSUS_TO: address.replace('http', 'ws'), LAPSUS_TAKE: take },
    stdio: 'ignore',
  })
  await new Promise((resolve) => game.once('exit', resolve))
  const { storedBytes, spans, frames } = await takeSummary(take)
  return { spans, frames, storedBytesPerSpan: storedBytes / spans }
}

/** Something of the ten-minute take. */
async function get(path: string): Promise<ArrayBuffer> {
  const response = await fetch(`${address}/api/takes/${TAKE}${path}`)
  if (!response.ok) throw new Error(`${path}: ${await response.text()}`)
  return response.arrayBuffer()
}

/** What a person sees who opens a view of the take that was open already, and who chooses other frames. */
async function measureDiagnosis() {
  const random = () => Math.floor(Math.random() * FRAMES)
  const views: Record<string, Summary> = {}
  for (const [name, path] of Object.entries(VIEWS)) views[name] = summary(await repeat(5, () => get(path)))
  const range = await repeat(20, () => {
    const [a, b] = [random(), random()]
    return get(`/diagnosis?from=${Math.min(a, b)}&to=${Math.max(a, b)}`)
  })
  return { views, range: summary(range) }
}

async function measureQueries() {
  const random = () => Math.floor(Math.random() * FRAMES)
  const open = await repeat(5, () => Promise.all([get(''), get('/frames')]))
  const pages = await repeat(QUERIES, () => get(`/pages/${random()}`))
  const ledgers = await repeat(QUERIES, () => {
    const [a, b] = [random(), random()]
    return get(`/ledger?from=${Math.min(a, b)}&to=${Math.max(a, b)}`)
  })
  return { open: summary(open), page: summary(pages), ledger: summary(ledgers) }
}

/** The workbench in headless Chromium, at 1280 x 800. */
async function measureDrawing() {
  const profile = mkdtempSync(join(tmpdir(), 'lapsus-bench-'))
  const browser = await launchBrowser(profile)
  const page = await browser.newPage()
  await page.setViewport({ width: 1280, height: 800 })
  const opened = await repeat(4, async () => {
    await page.goto('about:blank')
    await page.goto(`${address}/takes/${TAKE}`, { waitUntil: 'domcontentloaded' })
    await page.waitForSelector('[data-testid=strip] canvas[data-draw-ms]')
  })
  await page.waitForSelector('[data-testid=page] canvas[data-draw-ms]')
  const strip = await redraws(page, 'strip', (round) => (round % 2 === 0 ? -100 : 100))
  const shown = await redraws(page, 'page', (round) => (round % 8 < 4 ? 40 : -40))
  const dragged = await drags(page)
  const library = await measureLibrary(browser, address, TAKE)
  await browser.close()
  rmSync(profile, { recursive: true, force: true })
  return {
    open: summary(opened.slice(1)),
    strip: summary(strip),
    page: summary(shown),
    dragged: summary(dragged),
    library,
  }
}

/** Time in the page's worker of each forecast while a parameter of a plan of eight remedies is dragged, ms. */
async function drags(page: Page): Promise<number[]> {
  const items = EIGHT.map(({ remedy, path, parameters = {} }, i) => ({
    ...newItem(remedy, path, '', `item-${i}`),
    parameters,
  }))
  const response = await fetch(`${address}/api/takes/${TAKE}/plans`, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify(planToJson({ ...emptyPlan('eight remedies'), items })),
  })
  const { id } = (await response.json()) as { id: string }
  // The plan's column is folded until somebody opens it.
  await page.evaluateOnNewDocument(() =>
    localStorage.setItem('lapsus-settings', JSON.stringify({ state: { planOpen: true }, version: 0 })),
  )
  await page.goto(`${address}/takes/${TAKE}?sight=forecast&plan=${id}`, { waitUntil: 'domcontentloaded' })
  await page.waitForSelector('[data-testid=took]', { timeout: 60_000 })
  const card = await page.waitForSelector(`[data-remedy=${DRAGGED}] [aria-expanded]`)
  await card!.click()
  await page.waitForSelector('[data-name=passes] [role=slider]')
  await page.focus('[data-name=passes] [role=slider]')
  const took = () => page.$eval('[data-testid=took]', (line) => Number((line as HTMLElement).dataset['ms']))
  const taken: number[] = []
  for (let round = 0; round < 40; round++) {
    const before = await took()
    await page.keyboard.press(round % 2 === 0 ? 'ArrowRight' : 'ArrowLeft')
    const giveUp = Date.now() + 5_000
    while ((await took()) === before && Date.now() < giveUp)
      await new Promise((resolve) => setTimeout(resolve, 20))
    taken.push(await took())
  }
  return taken
}

/** Time that each redraw takes while the wheel turns over a view, ms. */
async function redraws(page: Page, view: string, wheel: (round: number) => number): Promise<number[]> {
  const selector = `[data-testid=${view}] canvas`
  const box = (await (await page.$(selector))!.boundingBox())!
  await page.mouse.move(box.x + box.width / 2, box.y + box.height / 2)
  const taken: number[] = []
  for (let round = 0; round < 80; round++) {
    await page.mouse.wheel({ deltaY: wheel(round) })
    await page.evaluate(
      () => new Promise((resolve) => requestAnimationFrame(() => requestAnimationFrame(resolve))),
    )
    taken.push(Number(await page.$eval(selector, (canvas) => (canvas as HTMLElement).dataset['drawMs'])))
  }
  return taken
}
