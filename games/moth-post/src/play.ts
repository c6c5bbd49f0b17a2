/** The game loop in Node: steps, waits for graphics and for the display's refresh. */
import { createProbe } from '@lapsus/probe'
import { blockUntil, Display } from './display.ts'
import { HANDSET, isInsideHandset } from './handset.ts'
import { GAME, VERSION } from './name.ts'
import { waitUntil } from './pace.ts'
import { PostOffice } from './post-office.ts'
import { routesInSlices } from './routes.ts'
import { routesOnWorkers } from './routes-thread.ts'
import { LANTERNS, STEP_S, type Flaw, type RoutePlan } from './settings.ts'
import { windOnWorker } from './wind-thread.ts'

export interface PlayOptions {
  seconds: number
  seed: number
  flaws: Set<Flaw>
  letters: number
  moths: number
  /** Frames a second to aim for; also the display's refresh. */
  target: number
  routes: RoutePlan
  /** Time that graphics take for a usual frame, ms; 0 for none. */
  graphics: number
  /** Whether to wait for the display's refresh. */
  paced: boolean
}

const LONGEST_CATCH_UP = 4

/** Plays a night. @returns what to say about it */
export async function play(options: PlayOptions): Promise<string> {
  const { seconds, seed, flaws, letters, moths, target, paced, graphics, routes } = options
  const probe = createProbe({
    game: GAME,
    target,
    conditions: {
      version: VERSION,
      build: 'release',
      scene: 'night shift',
      seed,
      load: `${letters} letters/s, ${moths} moths`,
      ...(isInsideHandset() ? { device: HANDSET } : {}),
      more: {
        flaws: [...flaws].join(', ') || 'none',
        routes,
        paced,
        ...(graphics > 0 ? { 'graphics ms': graphics } : {}),
      },
    },
  })
  const helpers = {
    wind: windOnWorker(new URL('./wind-worker.mjs', import.meta.url)),
    routes:
      routes === 'jobs' ? routesOnWorkers(new URL('./routes-worker.mjs', import.meta.url)) : routesInSlices(),
  }
  const post = new PostOffice({ seed, flaws, letters, moths, lanterns: LANTERNS }, probe, helpers)
  const display = new Display(graphics)
  const { markers } = post.world
  let stopped = false
  for (const signal of ['SIGINT', 'SIGTERM'] as const) process.once(signal, () => (stopped = true))

  const frameMs = 1000 / target
  const stepsPerFrame = 1 / STEP_S / target
  const frames = Math.round(seconds * target)
  let dueMs = performance.now()
  let lastMs = dueMs
  let owedSteps = 0
  for (let frame = 0; frame < frames && !stopped; frame++) {
    probe.frame()
    const nowMs = performance.now()
    owedSteps = Math.min(LONGEST_CATCH_UP, owedSteps + stepsPerFrame)
    for (; owedSteps >= 1 - 1e-9; owedSteps--) {
      post.step(nowMs - lastMs)
      lastMs = nowMs
    }
    if (graphics > 0) {
      probe.enter(markers['graphics.wait'])
      blockUntil(display.submit(post.world.batches))
      probe.leave()
    }
    if (paced) {
      probe.enter(markers['refresh.wait'])
      // A late frame waits for the next refresh, as it would with a real display.
      dueMs += frameMs * Math.max(1, Math.ceil((performance.now() - dueMs) / frameMs))
      await waitUntil(dueMs)
      probe.leave()
    } else if (frame % target === 0) {
      await new Promise((resolve) => setImmediate(resolve))
    }
  }
  helpers.wind.stop()
  helpers.routes.stop()
  await probe.close()
  const { step, delivered } = post.world
  return `${step} steps, ${delivered} letters delivered, night ${post.fingerprint()}`
}
