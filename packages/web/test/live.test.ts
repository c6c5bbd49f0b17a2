/** The screens for recordings that go on, for conditions, and for what runs say; in a real browser. */
import { endRecord } from '@lapsus/core/format'
import { expect } from 'chai'
import fc from 'fast-check'
import type { TakeDetail, TakePicture, TakeSummary } from '@lapsus/api'
import { emptyFrames } from '@lapsus/core/take'
import { getJson, TestGame, until } from '../../server/test/support.ts'
import {
  bytesOf,
  chunkRecord,
  declareRecord,
  node,
  takeRecord,
  type FrameSpec,
} from '../../core/test/support/takes.ts'
import { richTake } from '../../core/test/support/rich-take.ts'
import { recordsFrom, run, type TestFrame } from '../../core/test/support/studies.ts'
import { liveFigures } from '../src/live/live-figures.ts'
import { movePlayHead } from '../src/live/playback.ts'
import { useScreen } from './support.ts'

const MS = 1_000_000
const FRAMES_PER_CHUNK = 30
const frame = (workMs: number): FrameSpec => ({
  lanes: [[node(0, workMs * MS - 2 * MS, [node(1, 2 * MS)]), node(2, Math.max(1, 16 - workMs) * MS)]],
  restNs: 0,
})
const declare = declareRecord(1, [{ name: 'sim' }, { name: 'ai' }, { name: 'refresh', kind: 'wait:refresh' }])

describe('the moving strip', () => {
  it('follows what arrives in lumps steadily, never ahead, never back', () => {
    fc.assert(
      fc.property(fc.array(fc.integer({ min: 1, max: 40 }), { minLength: 50, maxLength: 300 }), (steps) => {
        let headNs = NaN
        let realMs = 0
        for (const stepMs of steps) {
          realMs += stepMs
          const latestNs = Math.floor(realMs / 500) * 500 * MS
          const next = movePlayHead(headNs, stepMs * MS, latestNs)
          expect(next).to.be.at.most(latestNs)
          if (!Number.isNaN(headNs)) {
            expect(next).to.be.at.least(headNs)
            expect(next - headNs).to.be.at.most(stepMs * MS * 2.6)
          }
          headNs = next
        }
      }),
    )
  })

  it('settles about a second behind, and jumps after a long pause', () => {
    let headNs = NaN
    for (let ms = 0; ms < 20_000; ms += 16)
      headNs = movePlayHead(headNs, 16 * MS, Math.floor(ms / 500) * 500 * MS)
    expect(20e9 - headNs).to.be.within(0.8e9, 2e9)
    expect(movePlayHead(headNs, 16 * MS, 90e9)).to.be.closeTo(88.9e9, 1e6)
  })
})

describe('figures of the last seconds', () => {
  it('are those of the frames in sight', () => {
    const frames = emptyFrames(5)
    frames.startNs.set([0, 10, 20, 30, 40].map((ms) => ms * MS))
    frames.durationNs.fill(10 * MS)
    frames.workNs.set([9, 2, 8, 3, 4].map((ms) => ms * MS))
    frames.collections[2] = 2
    frames.collectNs[2] = 3 * MS
    const figures = liveFigures(frames, 5, 1, 5)
    expect(figures).to.include({ frames: 4, over: 1, collections: 2, collectMs: 3 })
    expect(figures.fps).to.be.closeTo(100, 1e-9)
    expect(figures.collectionsAMinute).to.be.closeTo(3000, 1e-6)
    expect(figures.worst).to.deep.equal([2, 4, 3, 1])
    expect(liveFigures(frames, 5, 0, 0)).to.include({ frames: 0, fps: 0 })
  })
})

describe('live view', () => {
  const screen = useScreen()
  const { page, server, errors, open, openLive, seen, gone, text, textOf, button, line } = screen
  const { parameter, untilParameter } = screen

  const games: { pause(): void }[] = []
  // A test that fails leaves no game that plays on.
  afterEach(() => games.splice(0).forEach((game) => game.pause()))

  /** A game that sends half a second at a time, until it ends. */
  async function playing(take: string, game = 'Live game') {
    const link = await TestGame.connect(server)
    link.send(takeRecord({ take, game }))
    link.send(declare)
    let chunks = 0
    let startNs = 0
    const sendChunk = () => {
      const frames = Array.from({ length: FRAMES_PER_CHUNK }, (_, i) =>
        frame(chunks === 3 && i === 7 ? 40 : 6),
      )
      const chunk = chunkRecord(chunks + 2, frames, startNs)
      startNs = chunk.frameStartNs.at(-1)! + chunk.frameDurationNs.at(-1)!
      chunk.gauges = [{ gauge: 0, frame: Uint32Array.of(0), value: Float64Array.of(100 + chunks) }]
      chunks++
      link.send(chunk)
    }
    for (let i = 0; i < 5; i++) sendChunk()
    await link.untilAcknowledged(6)
    const timer = setInterval(sendChunk, 400)
    const end = async () => {
      clearInterval(timer)
      link.send(endRecord(chunks + 2, 0))
      await link.untilAcknowledged(chunks + 2)
    }
    const played = { link, end, pause: () => clearInterval(timer) }
    games.push(played)
    return played
  }

  it('moves while the game runs, with the worst frames, the heaviest markers, gauges and figures', async () => {
    const game = await playing('live-take-01')
    await openLive('/takes/live-take-01')
    await seen('Worst of the last')
    await seen('frame 97')
    expect(await textOf('live')).to.contain('40.0 ms')
    await seen('Heaviest in the last')
    await until(
      async () => /sim\s+4\.\d+\s+1\.00 ×/.test(await textOf('live')),
      'the heaviest marker is summed up',
    )
    await until(async () => /letters\s+1\d\d/.test(await textOf('live')), 'the gauge is there')
    const shownTo = () =>
      page.$eval('[data-testid=live-strip]', (strip) => Number((strip as HTMLElement).dataset['to']))
    const before = await shownTo()
    await until(async () => (await shownTo()) > before + 30, 'the strip moves on')
    await game.end()
    await seen('The recording has ended; the take is kept.')
    await seen('Ledger')
    await gone('Freeze')
  })

  it('says how a trial of the running game stands', async () => {
    // Blocks of twenty frames, in turn; “near” takes a millisecond less.
    const frames = Array.from({ length: 800 }, (_, i): TestFrame => {
      const variant = Math.floor(i / 20) % 2
      const unrest = 1 + 0.02 * Math.sin(i * 7)
      return {
        runs: [run('sim', 2e6 * unrest, { children: [run('seek', (variant === 0 ? 3e6 : 2e6) * unrest)] })],
        restNs: 1e6,
        gauges: { 'moth.seek': variant },
      }
    })
    const records = recordsFrom(frames, { trials: { 'moth.seek': ['all', 'near'] } })
    const link = await TestGame.connect(server)
    link.send(takeRecord({ take: 'live-trial-01', game: 'Live game' }))
    for (const record of records) link.send(record)
    await link.untilAcknowledged(records.length)
    await openLive('/takes/live-trial-01')
    await until(async () => (await page.$('[data-testid=live-trial]')) !== null, 'it is told')
    expect(await textOf('live-trial')).to.match(
      /^moth\.seek: with “near” a frame takes 1\.\d+ ms less, surely/,
    )
    link.send(endRecord(records.length + 1))
    await seen('The recording has ended')
  })

  it('freezes to study any frame while the recording goes on, and goes live again', async () => {
    const game = await playing('live-take-02')
    await openLive('/takes/live-take-02')
    await seen('frame 97')
    await page.locator('button[title="Freeze, and read this frame"]').click()
    await seen('Frozen')
    await seen('over by 23.3 ms')
    await untilParameter('frame', '97')
    await until(async () => (await line('sim'))[0] !== undefined, 'the ledger of the frozen frames')
    await until(async () => /frames more so far/.test(await textOf('frozen')), 'what arrives is counted')
    await page.keyboard.press('ArrowRight')
    await seen('frame 98')
    const frozen = await text()
    expect(frozen).to.contain('the recording goes on')
    await page.keyboard.press(' ')
    await seen('Freeze')
    await until(() => parameter('frame') === null, 'a live address names no frame')
    await page.keyboard.press(' ')
    await seen('Frozen')
    await game.end()
    await seen('The recording has ended')
  })

  it('opens frozen at an address that names a frame', async () => {
    const game = await playing('live-take-03')
    await openLive('/takes/live-take-03?frame=97')
    await seen('Frozen')
    await seen('frame 97')
    await game.end()
  })

  it('keeps the last seconds after the fact, stops, and shows other games', async () => {
    const game = await playing('live-take-04')
    const other = await playing('live-take-05', 'Other game')
    await openLive('/takes/live-take-04')
    await seen('also recording:')
    await seen('Other game')
    await button('Keep the last').click()
    await page.locator('::-p-text(the last 5 s, as a take of their own)').click()
    await seen('The last 5 s are kept as a take of their own.')
    const takes = await getJson<TakeSummary[]>(server, '/api/takes?search=last%205%20s')
    expect(takes[0]).to.include({ name: 'last 5 s of Live game', state: 'complete' })
    expect(takes[0]!.durationMs).to.be.within(400, 7_000)
    await button('Stop and keep').click()
    await until(() => game.link.messages.some((message) => 'order' in message), 'the game is told')
    await game.end()
    await other.end()
    await seen('The recording has ended')
  })

  it('discards a recording, and brings it back', async () => {
    const game = await playing('live-take-06')
    await openLive('/takes/live-take-06')
    await seen('Worst of the last')
    await button('Discard').click()
    await seen('The recording is discarded.')
    game.pause()
    await game.link.untilClosed()
    await button('Keep it after all').click()
    await until(
      async () => (await fetch(`${server.address}/api/takes/live-take-06`)).status === 200,
      'it is there again',
    )
    // The browser logs the request of the view that was left.
    errors.length = 0
  })

  it('shows the kept stretches of a play-through, and opens each', async () => {
    const records = [takeRecord({ take: 'stretched-take', conditions: { mode: 'keep-last' } }), declare]
    const chunks = [0, 1, 2].map((i) => ({
      ...chunkRecord(
        i + 2,
        Array.from({ length: 20 }, (_, f) => frame(i === 2 && f === 9 ? 50 : 6)),
        i * 5e9,
      ),
      stretch: i === 1 ? null : { cause: `frame over 33 ms: ${40 + i} ms`, at: `2026-01-02T03:0${i}:00Z` },
    }))
    const bytes = bytesOf([...records, ...chunks, endRecord(5, 0)])
    await fetch(`${server.address}/api/imports`, { method: 'POST', body: bytes as BodyInit })
    await open('/takes/stretched-take')
    await seen('2 kept stretches')
    await page.locator('[data-testid=stretches] ::-p-text(frame over 33 ms: 42 ms)').click()
    await untilParameter('frames', '40-59')
    await untilParameter('frame', '49')
  })

  it('shows and edits conditions, tags and note', async () => {
    await fetch(`${server.address}/api/imports`, { method: 'POST', body: bytesOf(richTake()) as BodyInit })
    await open('/takes/test-take-1')
    await page.locator('button[title="All conditions, note and tags"]').click()
    await seen('a heap read costs')
    expect(await textOf('conditions')).to.contain('bytes: times are inflated')
    await page.locator('[role=dialog] input[aria-label="Add a tag"]').fill('foggy')
    await page.keyboard.press('Enter')
    await page.locator('[role=dialog] textarea').fill('recorded twice')
    await page.keyboard.press('Escape')
    await until(async () => {
      const { tags, note } = await getJson<TakeDetail>(server, '/api/takes/test-take-1')
      return tags[0] === 'foggy' && note === 'recorded twice'
    }, 'both are kept')
    await seen('#foggy')
  })

  it('takes the recorder’s share out of frame, ledger and headline, and remembers it in the address', async () => {
    await open('/takes/test-take-1?frame=0')
    // Work of frame 0: 3,000,005 ns; three spans of 90 ns are recorded on the main lane.
    await until(
      async () => (await textOf('recorder-share')).includes('recorder 0.000270 ms'),
      'what the recorder cost',
    )
    await page.keyboard.press('r')
    await untilParameter('recorder', 'without')
    await seen('(taken out)')
    await page.keyboard.press('r')
    await page.keyboard.press('2')
    await until(async () => (await line('sim')).length > 4, 'the ledger')
    const before = await line('sim')
    await page.keyboard.press('r')
    await untilParameter('recorder', 'without')
    await until(
      async () => (await line('sim'))[0] !== before[0] || (await line('sim'))[4] === before[4],
      'the ledger follows',
    )
    const details = await page.$$eval('[data-testid=ledger] button[aria-pressed]', (heads) =>
      heads.map((head) => (head as HTMLElement).innerText),
    )
    expect(details).to.include.members(['bytes', 'needless'])
  })

  it('shows what a frame says besides times', async () => {
    await open('/takes/test-take-1?frame=1')
    await seen('tally looked at 4 ×, changed 1 ×')
    expect(await textOf('samples')).to.contain('letters −2.00')
    expect(await textOf('samples')).to.contain(
      'letter: 10 updaters, 8 enabled, 1 of them unseen, 2 of them far, 3 of them asleep',
    )
    await page.keyboard.press('ArrowLeft')
    await seen('letter +3 −2')
  })

  it('finds takes by words and conditions, from the address too', async () => {
    await open('/')
    await seen('Live game')
    await page.locator('input[aria-label="Search takes"]').fill('foggy')
    await untilParameter('search', 'foggy')
    await until(async () => (await page.$$('[data-testid=take-row]')).length === 1, 'one take is left')
    await open('/?tag=foggy')
    await until(async () => (await page.$$('[data-testid=take-row]')).length === 1, 'one take has the tag')
    await open('/?search=nothing-like-it')
    await seen('No take is like that')
    await button('Show all takes').click()
    await seen('Live game')
  })

  it('plays the game in the browser, in a worker, drawn, measured by its overlay, and recorded', async () => {
    await openLive('/games/moth-post/?flaws=none&begin')
    await seen('recording: watch it live')
    expect(await page.evaluate(() => crossOriginIsolated)).to.equal(true)
    const overlay = () =>
      page.evaluate(() =>
        [...document.body.children]
          .map((child) => child.getAttribute('aria-label') ?? '')
          .find((label) => label.includes('frames a second')),
      )
    await until(
      async () => /^\d+ frames a second, last [\d.]+ ms of 16.7, p99/.test((await overlay()) ?? ''),
      'the overlay',
    )
    expect(
      await page.evaluate(() => [...document.body.children].some((child) => child.shadowRoot !== null)),
    ).to.equal(true)
    const recorded = async () =>
      (await getJson<TakeSummary[]>(server, '/api/takes?device=browser%20worker'))[0]
    await until(async () => ((await recorded())?.frames ?? 0) > 20, 'frames are recorded')
    // What it looked like, from the page to the worker to the take.
    const stills = async () => getJson<TakePicture[]>(server, `/api/takes/${(await recorded())!.id}/pictures`)
    await until(async () => (await stills()).length > 1, 'pictures are recorded')
    const [one] = await stills()
    expect([one!.width, one!.height > 0]).to.deep.equal([320, true])
    const bytes = await fetch(`${server.address}/api/takes/${(await recorded())!.id}/pictures/${one!.name}`)
    expect(bytes.headers.get('content-type')).to.equal('image/webp')
    await page.locator('#end').click()
    await seen('the take is kept: open it')
    const take = (await recorded())!
    expect(take).to.include({ state: 'complete', game: 'Moth Post', repaired: 0 })
    expect(take.conditions.recorder!.clockResolutionNs).to.be.below(50_000)
    expect(take.conditions.more).to.include({ flaws: 'none', 'cross-origin isolated': true })
  })
})
