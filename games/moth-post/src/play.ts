/** The game loop in Node: steps, waits for graphics and for the display's refresh. */
import { createProbe } from '@lapsus/probe'
import { blockUntil, Display } from './display.ts'
import { HANDSET, HANDSET_MB, isInsideHandset } from './handset.ts'
import { GAME } from './name.ts'
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
  /** One that is played with its fix in turn; it counts among the flaws while it is. */
  trial?: Flaw
  /** Frames of a block of the trial; as the probe has it where not given. */
  trialFrames?: number
  letters: number
  moths: number
  /** Frames a second to aim for; also the display's refresh. */
  target: number
  routes: RoutePlan
  /** Time that graphics take for a usual frame, ms; 0 for none. */
  graphics: number
  /**
   * Time that the archive takes for the night's book, every seven seconds, ms; 0 for none. Not given: as much
   * as makes the flaw step-pileup show, and none without it.
   */
  archive?: number
  /** Whether letters and moths grow from few to all over the night, so that costs show against load. */
  ramp: boolean
  /** Whether to wait for the display's refresh. */
  paced: boolean
  /** What the game says its version is. */
  gameVersion: string
}

const LONGEST_CATCH_UP = 4
/** The book goes to the archive this often, s, and first after this time. */
const ARCHIVE_EVERY_S = 7
const FIRST_ARCHIVE_S = 3.5
const SLOW_ARCHIVE_MS = 90

/** Variants of a trial. */
const FLAWED = 'flaw'
const MENDED = 'fix'

/** Plays a night. @returns what to say about it */
export async function play(options: PlayOptions): Promise<string> {
  const { seconds, seed, flaws, letters, moths, target, paced, graphics, routes, ramp } = options
  const archive =
    options.archive ?? (flaws.has('step-pileup') || options.trial === 'step-pileup' ? SLOW_ARCHIVE_MS : 0)
  const probe = createProbe({
    game: GAME,
    target,
    conditions: {
      version: options.gameVersion,
      build: 'release',
      scene: 'night shift',
      seed,
      load: `${letters} letters/s, ${moths} moths${ramp ? ', ramp' : ''}`,
      ...(isInsideHandset() ? { device: HANDSET } : {}),
      more: {
        flaws: [...flaws].join(', ') || 'none',
        ...(options.trial === undefined ? {} : { trial: options.trial }),
        routes,
        paced,
        ...(graphics > 0 ? { 'graphics ms': graphics } : {}),
        ...(isInsideHandset() ? { 'memory limit MB': HANDSET_MB } : {}),
      },
    },
  })
  const helpers = {
    wind: windOnWorker(new URL('./wind-worker.mjs', import.meta.url)),
    routes:
      routes === 'jobs' ? routesOnWorkers(new URL('./routes-worker.mjs', import.meta.url)) : routesInSlices(),
  }
  const post = new PostOffice(
    { seed, flaws, letters, moths, lanterns: LANTERNS, rampS: ramp ? seconds : null },
    probe,
    helpers,
  )
  const blocks = options.trialFrames === undefined ? {} : { frames: options.trialFrames }
  const trial = options.trial === undefined ? null : probe.trial(options.trial, [FLAWED, MENDED], blocks)
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
  const archiveEvery = Math.round(ARCHIVE_EVERY_S * target)
  const firstArchive = Math.round(FIRST_ARCHIVE_S * target)
  for (let frame = 0; frame < frames && !stopped; frame++) {
    probe.frame()
    if (trial?.is(FLAWED)) flaws.add(options.trial!)
    else if (trial !== null) flaws.delete(options.trial!)
    if (ramp && frame === 0) probe.moment('ramp', { seconds, letters, 'moths flying': moths })
    const nowMs = performance.now()
    owedSteps = Math.min(LONGEST_CATCH_UP, owedSteps + stepsPerFrame)
    for (; owedSteps >= 1 - 1e-9; owedSteps--) {
      post.step(nowMs - lastMs)
      lastMs = nowMs
    }
    if (archive > 0 && frame >= firstArchive && (frame - firstArchive) % archiveEvery === 0) {
      probe.enter(markers['archive.wait'])
      blockUntil(performance.now() + archive)
      probe.leave()
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
