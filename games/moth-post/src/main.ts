import { Command, InvalidArgumentError } from 'commander'
import { createProbe } from '@lapsus/probe'
import { GAME } from './name.ts'
import { waitUntil } from './pace.ts'
import { PostOffice } from './post-office.ts'
import { DEFAULTS, FLAWS, LANTERNS, parseFlaws, type Flaw } from './settings.ts'
import { windOnWorker } from './wind-thread.ts'

/** Display refreshes a second: the game waits for each. */
const REFRESH_HZ = 60
const DEFAULT_SECONDS = 30

interface Options {
  seconds: number
  seed: number
  flaws: Set<Flaw>
  letters: number
  moths: number
  paced: boolean
  describe?: boolean
}

const numberFrom = (least: number, most: number) => (text: string) => {
  const value = Number(text)
  if (text.trim() === '' || !(value >= least && value <= most)) {
    throw new InvalidArgumentError(`expected a number from ${least} to ${most}`)
  }
  return value
}

function flawList(text: string): Set<Flaw> {
  try {
    return parseFlaws(text)
  } catch (error) {
    throw new InvalidArgumentError((error as Error).message)
  }
}

const command = new Command('moth-post')
  .description('A night post office run by moths: the demo game. Without LAPSUS_TO it records nothing.')
  .option('--seconds <n>', 'how long the night lasts', numberFrom(0, 86_400), DEFAULT_SECONDS)
  .option('--seed <n>', 'which night it is', numberFrom(0, 0xffff_ffff), DEFAULTS.seed)
  .option(
    '--flaws <list>',
    `all, none, or some of: ${Object.keys(FLAWS).join(', ')}`,
    flawList,
    parseFlaws('all'),
  )
  .option('--letters <n>', 'letters that arrive each second', numberFrom(0, 10_000), DEFAULTS.letters)
  .option('--moths <n>', 'moths on duty', numberFrom(1, 10_000), DEFAULTS.moths)
  .option('--no-paced', 'do not wait for the display: run as fast as it goes')
  .option('--describe', 'print, as JSON, what can be chosen, and end')

const options = command.parse().opts<Options>()
if (options.describe) console.log(JSON.stringify(description()))
else await play(options)

function description() {
  return {
    name: GAME,
    flaws: Object.entries(FLAWS).map(([id, text]) => ({ id, text })),
    defaults: { ...DEFAULTS, seconds: DEFAULT_SECONDS, flaws: Object.keys(FLAWS), name: '' },
  }
}

async function play(options: Options): Promise<void> {
  const { seconds, seed, flaws, letters, moths, paced } = options
  const probe = createProbe({
    game: GAME,
    target: REFRESH_HZ,
    conditions: {
      build: 'release',
      scene: 'night shift',
      seed,
      load: `${letters} letters/s, ${moths} moths`,
      more: { flaws: [...flaws].join(', ') || 'none', paced },
    },
  })
  const wind = windOnWorker(new URL('./wind-worker.mjs', import.meta.url))
  const post = new PostOffice({ seed, flaws, letters, moths, lanterns: LANTERNS }, probe, wind)
  const waiting = post.world.markers['refresh.wait']
  let stopped = false
  for (const signal of ['SIGINT', 'SIGTERM'] as const) process.once(signal, () => (stopped = true))

  const frames = Math.round(seconds * REFRESH_HZ)
  let dueMs = performance.now()
  for (let frame = 0; frame < frames && !stopped; frame++) {
    probe.frame()
    post.step()
    if (paced) {
      probe.enter(waiting)
      // A late frame waits for the next refresh, as it would with a real display.
      dueMs += (1000 / REFRESH_HZ) * Math.max(1, Math.ceil(((performance.now() - dueMs) * REFRESH_HZ) / 1000))
      await waitUntil(dueMs)
      probe.leave()
    } else if (frame % REFRESH_HZ === 0) {
      await new Promise((resolve) => setImmediate(resolve))
    }
  }
  wind.stop()
  await probe.close()
  console.log(
    `${post.world.step} steps, ${post.world.delivered} letters delivered, night ${post.fingerprint()}`,
  )
}
