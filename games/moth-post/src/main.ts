import { Command, InvalidArgumentError, Option } from 'commander'
import { isInsideHandset, runInsideHandset } from './handset.ts'
import { GAME, VERSION } from './name.ts'
import { play, type PlayOptions } from './play.ts'
import { DEFAULTS, FLAWS, parseFlaws, ROUTE_PLANS, SWITCHED_FLAWS, type Flaw } from './settings.ts'

const DEFAULT_SECONDS = 30
const DEFAULT_TARGET = 60

interface Options extends PlayOptions {
  handset: boolean
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
  .addOption(
    new Option('--trial <flaw>', 'play this flaw and its fix in turn, in blocks of frames').choices(
      SWITCHED_FLAWS,
    ),
  )
  .option('--trial-frames <n>', 'frames of a block of the trial (default: 60)', numberFrom(5, 10_000))
  .option('--letters <n>', 'letters that arrive each second', numberFrom(0, 10_000), DEFAULTS.letters)
  .option('--moths <n>', 'moths on duty', numberFrom(1, 10_000), DEFAULTS.moths)
  .option('--target <fps>', 'frames a second, which the display shows', numberFrom(1, 1000), DEFAULT_TARGET)
  .addOption(
    new Option('--routes <plan>', 'how routes are planned anew, but for the flaw route-burst')
      .choices(ROUTE_PLANS)
      .default('sliced'),
  )
  .option('--graphics <ms>', 'time that graphics take for a usual frame', numberFrom(0, 1000), 0)
  .option(
    '--archive <ms>',
    'time that the archive takes for the book, every 7 s (default: 90 with the flaw step-pileup, else 0)',
    numberFrom(0, 1000),
  )
  .option('--ramp', 'letters and moths grow from few to all over the night', false)
  .option('--handset', 'run inside the stand-in handset: interpreter only, little memory', false)
  .option('--game-version <version>', 'what the game says its version is', VERSION)
  .option('--no-paced', 'do not wait for the display: run as fast as it goes')
  .option('--describe', 'print, as JSON, what can be chosen, and end')

const options = command.parse().opts<Options>()
if (options.describe) console.log(JSON.stringify(description()))
else if (options.handset && !isInsideHandset()) runInsideHandset()
else console.log(await play(options))

function description() {
  return {
    name: GAME,
    flaws: Object.entries(FLAWS).map(([id, text]) => ({
      ...{ id, text },
      switched: (SWITCHED_FLAWS as string[]).includes(id),
    })),
    defaults: {
      ...DEFAULTS,
      seconds: DEFAULT_SECONDS,
      flaws: Object.keys(FLAWS),
      trial: '',
      name: '',
      target: DEFAULT_TARGET,
      routes: 'sliced',
      graphicsMs: 0,
      ramp: false,
      handset: false,
      mode: 'timing',
      tripMs: 25,
      keepSeconds: 10,
    },
  }
}
