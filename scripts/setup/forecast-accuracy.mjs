/** Which plan stands for the real fix of each flaw, and the words of docs/accuracy.md about forecasts. */
import { table, three } from './words.mjs'

const path = (text) => text.split(' > ')
const item = (remedy, at, parameters = {}) => ({ remedy, path: path(at), parameters })

const STEER = 'sim.step > moths.update > moth.update > moth.steer'
const ROLL = 'shift.check > shift.bell > roll.call'
/**
 * How much longer the same code takes in the second night: the median over the paths of what a run costs there and before.
 * What the fix touches is a few of many.
 */
export function speedBetween(before, after) {
  const ratios = [...before].flatMap(([path, ms]) => (after.has(path) ? [after.get(path) / ms] : []))
  return ratios.sort((a, b) => a - b)[ratios.length >> 1] ?? 1
}

/** Entries of the book at the first bell. */
const BOOK = 1_900

/**
 * Parameters are what whoever writes the fix decides (the size of the pool, two routes a frame, what is near); all
 * else is as the take suggests. `bytes`: played with mode bytes. `adjust` sets what hangs on a suggested value.
 */
export const FORECASTS = [
  {
    name: 'letter-churn',
    bytes: true,
    items: [item('pool', 'sim.step > mail.arrive > letter.admit', { size: 512 })],
  },
  { name: 'roost-awake', items: [item('sleep', 'sim.step > moths.update > moth.update')] },
  {
    name: 'lantern-all-pairs',
    // 240 lanterns in 256 squares, of which five by five are within reach.
    items: [
      item('bucket', 'sim.step > moths.update > moth.update > moth.seek > lantern.measure', {
        others: 'lanterns',
        occupancy: 240 / 256,
        cells: 25,
        upkeep: 0,
      }),
    ],
  },
  { name: 'tally-rebuild', items: [item('react', 'tally.update > tally.text')] },
  { name: 'belt-retest', items: [item('hoist', 'sim.step > belts.step > belt.rules > belt.test')] },
  { name: 'name-search', items: [item('cache', `${STEER} > lantern.find`, { misses: 0 })] },
  {
    name: 'route-burst',
    items: [item('slice', 'sim.step > gates.check > routes.replan', {})],
    adjust: (items, [first]) => {
      const piece = first.assumptions.find(({ name }) => name === 'piece').value
      items[0].parameters = { budget: 2 * piece, piece }
    },
  },
  {
    name: 'route-burst',
    label: 'route-burst, as jobs',
    fixed: ['--routes', 'jobs'],
    items: [item('jobs', 'sim.step > gates.check > routes.replan', { workers: 2, join: 'next' })],
  },
  {
    name: 'roll-call-nested',
    items: [
      item('bucket', `${ROLL} > roll.names`, { others: 'none', count: 150, occupancy: 1, cells: 1 }),
      item('bucket', `${ROLL} > roll.letters`, { others: 'none', count: BOOK, occupancy: 1, cells: 1 }),
    ],
  },
  { name: 'vector-churn', bytes: true, items: [item('reuse', STEER)] },
  {
    name: 'step-pileup',
    items: [item('limit-steps', 'sim.step > belt.mechanics > mechanics.step', { most: 4 })],
  },
  { name: 'dead-letters', items: [item('drop', 'sim.step > dead.look')] },
  {
    name: 'lock-step',
    items: [item('stagger', 'house.keep > audit.count', { with: 'dust.sweep', 'shift dust.sweep': 30 })],
  },
  {
    name: 'moth-objects',
    // Forty scales to a moth, each a map with three entries of two words.
    items: [item('one-manager', 'sim.step > wings.beat > wing.beat', { instances: 6_000, hot: 24 })],
  },
]

export const planOf = (items) => ({ format: 'lapsus-plan', version: 1, name: 'the real fix', items })

const FIGURES = [
  ['p50', 'ms', ({ frames }) => frames.work.p50],
  ['p95', 'ms', ({ frames }) => frames.work.p95],
  ['p99', 'ms', ({ frames }) => frames.work.p99],
  ['over', 'frames', ({ frames }) => frames.over],
  ['collections', 'of 1,000 frames', (figures) => figures.collectionsPer1000],
]

/** Within 15 %, or 0.3 ms. */
const NEAR_SHARE = 0.15
const NEAR_MS = 0.3
/** Nights that differ by more than this factor, as its logarithm, compare badly whatever the fix. */
const UNLIKE = 0.15
/** A figure that moved by less than this says nothing about its sign, ms. */
const MOVED_MS = 0.3

/** What a forecast cannot know of a flaw's fix, where it misses although the machine was as before. */
const LIMITS = {
  'letter-churn':
    'the first seconds decide: the collector’s space grows while the code is still being compiled, and how soon depends on what is allocated',
  'lantern-all-pairs':
    'measuring fewer lanterns also allocates less, which a take without bytes does not tell; and looking through the squares costs something of its own',
  'route-burst':
    'planning a route again soon after another is quicker than planning it later, between other work',
  'roll-call-nested': 'one frame in twenty seconds hardly moves p95',
  'moth-objects':
    'how much of a beat waits for memory is assumed, and maps of numbers allocate, which a take without bytes does not tell',
}

const isNear = (forecast, after) => Math.abs(forecast - after) <= Math.max(NEAR_MS, NEAR_SHARE * after)
const hasWrongSign = (before, forecast, after) =>
  Math.abs(after - before) > MOVED_MS &&
  Math.abs(forecast - before) > MOVED_MS &&
  (after - before) * (forecast - before) < 0

/** @param runs each with label, seed, before, forecast and after, as `forecast --json` gives figures, and recorded, as `compare --json` gives frames */
export function forecastSection(runs, { seeds, seconds }) {
  // At equal speed: as the machine was when it was forecast.
  const figure = ([, unit, pick], run) => {
    const after = pick(run.after)
    return [pick(run.before), pick(run.forecast), unit === 'ms' && after !== null ? after / run.drift : after]
  }
  const judged = runs.flatMap((run) => FIGURES.slice(0, 2).map((one) => figure(one, run)))
  const near = judged.filter(([, forecast, after]) => isNear(forecast, after)).length
  const inRange = runs.flatMap((run) =>
    FIGURES.slice(0, 2).map(([name, , pick]) => {
      const after = pick(run.after) / run.drift
      return after >= run.ranges[name].low && after <= run.ranges[name].high
    }),
  )
  const held = inRange.filter(Boolean).length
  const wrong = judged.filter((triple) => hasWrongSign(...triple)).length
  const labels = [...new Set(runs.map(({ label }) => label))]
  const cell = (one, label, seed) => {
    const run = runs.find((each) => each.label === label && each.seed === seed)
    const [before, forecast, after] = figure(one, run)
    const mark = one[1] === 'ms' && FIGURES.indexOf(one) < 2 && !isNear(forecast, after) ? ' **missed**' : ''
    return `${three(before)} → ${three(forecast)} / ${three(after)}${mark}`
  }
  return [
    '## Forecasts',
    '',
    `Each flaw and its fix are played in turn in one process, in blocks of 12 frames in random order (of 60 for what lasts over several frames), ${seconds} s, seeds ${seeds.join(', ')}; the plan that stands for the real fix is forecast on the frames with the flaw, and held against those with the fix. (Played night after night are letter-churn, whose collections strike long after what was allocated; lock-step, whose parts meet at certain frames; and the routes as jobs, which are waited for after a block has ended.) Cells read: before → forecast / recorded with the fix, times of the latter at equal speed.`,
    '',
    ...table(
      ['aim', 'p50 and p95'],
      [
        [
          'at least 90 % within 15 % or 0.3 ms',
          `${near} of ${judged.length}, ${three((near / judged.length) * 100)} %`,
        ],
        ['none of the wrong sign (both moved by more than 0.3 ms, in opposite directions)', String(wrong)],
        [
          'at least 85 % inside the range of the forecast',
          `${held} of ${inRange.length}, ${three((held / inRange.length) * 100)} %`,
        ],
      ],
    ),
    '',
    'Nothing tells a forecast how fast the machine will be. The drift is how much longer the same code took beside the fix: the median over all paths of what a run costs. Times recorded with the fix are divided by it:',
    '',
    ...table(
      ['flaw', ...seeds.map((seed) => `seed ${seed}: drift`)],
      labels.map((label) => [
        label,
        ...seeds.map(
          (seed) => `${three(runs.find((run) => run.label === label && run.seed === seed).drift)} ×`,
        ),
      ]),
    ),
    '',
    ...missesSection(runs),
    ...FIGURES.flatMap((one) => [
      `### ${one[0]}, ${one[1]}`,
      '',
      ...table(
        ['flaw', 'remedy', ...seeds.map((seed) => `seed ${seed}`)],
        labels.map((label) => [
          label,
          [...new Set(runs.find((run) => run.label === label).remedies)].join(', '),
          ...seeds.map((seed) => cell(one, label, seed)),
        ]),
      ),
      '',
    ]),
  ]
}

/**
 * Each miss of p50 and p95 with what explains it: the recordings, whose own frames scatter as widely; what a forecast
 * cannot know; or the machine.
 */
function missesSection(runs) {
  const misses = runs.flatMap((run) =>
    FIGURES.slice(0, 2).flatMap(([name, , pick]) => {
      const [forecast, after] = [pick(run.forecast), pick(run.after) / run.drift]
      const isWrong = hasWrongSign(pick(run.before), forecast, after)
      if (isNear(forecast, after) && !isWrong) return []
      const limit = LIMITS[run.label] ?? LIMITS[run.label.split(',')[0]]
      const unlike = Math.abs(Math.log(run.drift)) > UNLIKE
      const row = run.recorded.find((one) => one.figure === name)
      const [low, high] = [row.low, row.high].map((difference) => row.before + difference)
      const scatter = `the recordings scatter as widely: by them alone ${three(low)} to ${three(high)} ms, 95 % sure`
      const because =
        (forecast >= low && forecast <= high ? scatter : limit) ??
        (unlike
          ? `the machine: its speed changed by ${three(run.drift)} ×, and more in slow frames`
          : 'not explained')
      return [
        [
          run.label,
          run.seed,
          isWrong ? `${name}, wrong sign` : name,
          `${three(forecast)} ms`,
          `${three(after)} ms`,
          because,
        ],
      ]
    }),
  )
  if (misses.length === 0) return []
  return ['### Misses', '', ...table(['flaw', 'seed', 'figure', 'forecast', 'recorded', 'why'], misses), '']
}
