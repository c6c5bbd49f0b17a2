/** The game in a browser's worker. Its frames come with the screen's refresh. */
import { createProbe } from '@lapsus/probe'
import { FrameMeter } from '@lapsus/probe/overlay'
import { GAME, VERSION } from '../src/name.ts'
import { PostOffice } from '../src/post-office.ts'
import { LANTERNS, parseFlaws, STEP_S } from '../src/settings.ts'
import type { World } from '../src/world.ts'
import type { Begin, FromWorker, Picture, ToWorker } from './messages.ts'

const PICTURE_EVERY_MS = 50
const STEP_MS = STEP_S * 1000
const MOST_STEPS = 3

const say = (message: FromWorker) => postMessage(message)
const nextRefresh = () => new Promise<number>((resolve) => requestAnimationFrame(resolve))

let ended = false
/** What the page has drawn last. */
let still: ImageBitmap | null = null
onmessage = ({ data }: MessageEvent<ToWorker>) => {
  if ('begin' in data) void play(data.begin)
  else if ('still' in data) still = data.still
  else ended = true
}

async function play({ seed, letters, moths, flaws, to, take }: Begin): Promise<void> {
  const probe = createProbe({
    game: GAME,
    target: 60,
    take,
    ...(to === null ? {} : { to }),
    conditions: {
      version: VERSION,
      build: 'release',
      device: 'browser worker',
      scene: 'night shift',
      seed,
      load: `${letters} letters/s, ${moths} moths`,
      more: { flaws, 'cross-origin isolated': self.crossOriginIsolated },
    },
    onProblem: (problem) => say({ problem }),
  })
  const meter = new FrameMeter()
  probe.onFrame = (durationMs) => meter.add(durationMs)
  const post = new PostOffice(
    { seed, letters, moths, flaws: parseFlaws(flaws), lanterns: LANTERNS, rampS: null },
    probe,
  )
  const waiting = post.world.markers['refresh.wait']
  let lastMs = await nextRefresh()
  let owedMs = 0
  let picturedMs = -Infinity
  while (!ended) {
    probe.frame()
    const nowMs = performance.now()
    const elapsedMs = nowMs - lastMs
    lastMs = nowMs
    owedMs = Math.min(MOST_STEPS * STEP_MS, owedMs + elapsedMs)
    for (; owedMs >= STEP_MS * 0.9; owedMs -= STEP_MS) post.step(elapsedMs)
    if (nowMs - picturedMs >= PICTURE_EVERY_MS) {
      picturedMs = nowMs
      say({ picture: pictureOf(post.world, meter) })
    }
    if (still !== null) {
      probe.picture(still)
      still.close()
      still = null
    }
    probe.enter(waiting)
    await nextRefresh()
    probe.leave()
  }
  await probe.close()
  say({ ended: true })
}

function pictureOf({ town, moths, step, delivered }: World, meter: FrameMeter): Picture {
  const { memory } = performance as { memory?: { usedJSHeapSize: number } }
  return {
    lanterns: Float32Array.from(town.lanterns.flatMap(({ x, y, glow }) => [x, y, glow])),
    moths: Float32Array.from(
      moths.flatMap(({ x, y, carrying, roostsUntil }) => [
        x,
        y,
        roostsUntil > step ? -1 : carrying === null ? 0 : 1,
      ]),
    ),
    figures: meter.figures(memory?.usedJSHeapSize ?? null),
    delivered,
  }
}
