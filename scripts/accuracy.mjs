/**
 * `npm run accuracy`: plays the demo game with each flaw alone, with all and with none, on several seeds, and
 * writes docs/accuracy.md: what was found, missed, and found where nothing is; and how right forecasts of the real
 * fixes were. Nights for findings are played twice: on the machine as it is, and beside a program that keeps a core busy
 * at random intervals. Takes some three hours; `-- --only findings`, `-- --only clean` or `-- --only forecasts` makes one
 * part and keeps the others, `-- --seeds 1,2` plays fewer nights, `-- --keep FOLDER` keeps the takes of misses and false alarms.
 */
import { spawn, spawnSync } from 'node:child_process'
import {
  copyFileSync,
  existsSync,
  mkdirSync,
  mkdtempSync,
  readFileSync,
  rmSync,
  writeFileSync,
} from 'node:fs'
import { cpus, release, tmpdir } from 'node:os'
import { join } from 'node:path'
import { parseArgs } from 'node:util'
import { cleanSection, falseAlarmsOf, findingsSection, FLAW_FINDINGS, isFoundBy } from './setup/accuracy.mjs'
import { ensureBuilt } from './setup/build.mjs'
import { FORECASTS, forecastSection, planOf, speedBetween } from './setup/forecast-accuracy.mjs'
import { checkNode, ensurePackages } from './setup/packages.mjs'
import { ROOT } from './setup/root.mjs'
import { runMain, say, SetupError } from './setup/say.mjs'

const DEFAULT_SEEDS = '1,2,3,4,5'
/** Two bells and four gates. */
const FINDINGS_SECONDS = 27
/** Nights without flaws, of each kind of machine. */
const CLEAN_NIGHTS = 40
/** Two bells and four gates. */
const FORECAST_SECONDS = 30
/** A wave of the game lasts longer than a block of so many frames: it strikes both variants alike. */
const BLOCK_FRAMES = 12
/** For what lasts over several frames: a block is mostly through with what it has begun. */
const LONG_BLOCK_FRAMES = 60
const LASTING = new Set(['route-burst', 'step-pileup'])
/**
 * Alternate badly, and are played in two nights: what is collected in one block was allocated in another; what meets at a
 * certain frame of many meets no more where blocks are left out; and jobs begun in one block are waited for in the next.
 */
const NIGHT_AFTER_NIGHT = new Set(['letter-churn', 'lock-step', 'route-burst, as jobs'])
/** Paths that take less a frame say little of the machine. */
const LEAST_MS = 0.005
/** Keeps a core busy for up to 0.8 s, then rests for up to 3. */
const BUSY = `const turn = () => {
  const end = performance.now() + 800 * Math.random()
  while (performance.now() < end);
  setTimeout(turn, 3000 * Math.random())
}
turn()`
const MOST_OUTPUT = 256 * 1024 * 1024
const PAGE = join(ROOT, 'docs/accuracy.md')
const PARTS = { findings: playForFindings, clean: playClean, forecasts: playForForecasts }
const QUIET = 'On the machine as it is'
const BESIDE = 'Beside a program that keeps a core busy at random intervals'

const { values: options } = parseArgs({
  options: {
    only: { type: 'string' },
    seeds: { type: 'string', default: DEFAULT_SEEDS },
    keep: { type: 'string' },
  },
})
const SEEDS = options.seeds.split(',').map(Number)

await runMain(async () => {
  if (options.only !== undefined && !(options.only in PARTS))
    throw new SetupError(`--only must be one of ${Object.keys(PARTS).join(', ')}, got ${options.only}`)
  checkNode()
  ensurePackages()
  await ensureBuilt()
  const folder = mkdtempSync(join(tmpdir(), 'lapsus-accuracy-'))
  try {
    const parts = Object.entries(PARTS).map(([name, play]) => {
      if (options.only !== undefined && options.only !== name) return keptPart(name)
      return [`<!-- ${name} -->`, '', madeOn(), '', ...play(folder)].join('\n')
    })
    writeFileSync(
      PAGE,
      ['# Accuracy', '', 'Written by `npm run accuracy`, with Moth Post.', '', ...parts].join('\n'),
    )
    say('accuracy: docs/accuracy.md is written')
  } finally {
    rmSync(folder, { recursive: true, force: true })
  }
})

function madeOn() {
  return `Made on ${new Date().toISOString().slice(0, 10)}, on ${cpus().length} cores (${cpus()[0]?.model ?? 'unknown'}, Linux ${release()}), Node ${process.versions.node}.`
}

/** The part as it stands in the page. */
function keptPart(name) {
  const page = existsSync(PAGE) ? readFileSync(PAGE, 'utf8') : ''
  const from = page.indexOf(`<!-- ${name} -->`)
  if (from < 0) return `<!-- ${name} -->\n\nNot made yet.\n`
  const next = page.indexOf('<!-- ', from + 1)
  return page.slice(from, next < 0 ? undefined : next)
}

function playForFindings(folder) {
  const flaws = Object.keys(FLAW_FINDINGS)
  const nights = (isBusy) =>
    SEEDS.flatMap((seed) => {
      const play = (name, bytes) => ({ name, seed, bytes, ...inspected(folder, name, seed, bytes, isBusy) })
      return [
        play('none', false),
        play('none', true),
        play('all', false),
        play('all', true),
        ...flaws.map((flaw) => play(flaw, FLAW_FINDINGS[flaw].bytes === true)),
      ]
    })
  const about = { seeds: SEEDS, seconds: FINDINGS_SECONDS }
  return [
    ...findingsSection(nights(false), { ...about, machine: QUIET }),
    ...findingsSection(nights(true), {
      ...about,
      machine: BESIDE,
    }),
  ]
}

/** Nights without flaws, by turns with and without what is allocated, each of a seed of its own. */
function playClean(folder) {
  const seeds = Array.from({ length: CLEAN_NIGHTS }, (_, index) => index + 1)
  const nights = (isBusy) =>
    seeds.map((seed) => {
      const bytes = seed % 2 === 0
      return { seed, bytes, ...inspected(folder, 'none', seed, bytes, isBusy) }
    })
  return cleanSection(
    [
      [QUIET, nights(false)],
      [BESIDE, nights(true)],
    ],
    FINDINGS_SECONDS,
  )
}

/** Plays a night, and gives what is found in it. */
function inspected(folder, flaws, seed, bytes, isBusy) {
  const take = join(folder, 'night.lapsus')
  const busy = isBusy ? spawn(process.execPath, ['-e', BUSY], { stdio: 'ignore' }) : null
  try {
    const args = FLAW_FINDINGS[flaws]?.args ?? []
    const night = ['--seed', String(seed), '--seconds', String(FINDINGS_SECONDS)]
    record(take, ['--flaws', flaws, ...night, ...args], bytes)
  } finally {
    busy?.kill('SIGKILL')
  }
  const { frames, findings, spikes } = lapsus(['inspect', take, '--json'])
  const found = Object.keys(FLAW_FINDINGS).filter((flaw) => findings.some((one) => isFoundBy(flaw, one)))
  const isAsWanted =
    flaws === 'none' ? falseAlarmsOf(findings).length === 0 : flaws === 'all' || found.includes(flaws)
  if (!isAsWanted && options.keep !== undefined) {
    mkdirSync(options.keep, { recursive: true })
    copyFileSync(
      take,
      join(options.keep, `${flaws}-${seed}${bytes ? '-bytes' : ''}${isBusy ? '-busy' : ''}.lapsus`),
    )
  }
  rmSync(take)
  say(
    `accuracy: seed ${seed}, ${flaws}${bytes ? ' (bytes)' : ''}${isBusy ? ', busy' : ''}: ${found.join(', ') || 'nothing of these'}`,
  )
  return { frames, findings, spikes: spikes.length }
}

function playForForecasts(folder) {
  const runs = SEEDS.flatMap((seed) => FORECASTS.map((one) => forecastOf(folder, one, seed)))
  return forecastSection(runs, { seeds: SEEDS, seconds: FORECAST_SECONDS })
}

/**
 * Plays the flaw and its fix in turn, in short blocks in random order, in one process; and forecasts the frames with the fix
 * from those with the flaw. What is played night after night is so right one after the other.
 */
function forecastOf(folder, { name, label = name, items, bytes = false, fixed = [], adjust }, seed) {
  const isTrial = !NIGHT_AFTER_NIGHT.has(label)
  const [first, second, plan] = ['first.lapsus', 'second.lapsus', 'plan.json'].map((file) =>
    join(folder, file),
  )
  const night = ['--seed', String(seed), '--seconds', String(FORECAST_SECONDS)]
  const frames = LASTING.has(name) ? LONG_BLOCK_FRAMES : BLOCK_FRAMES
  const trial = ['--trial', name, '--trial-frames', String(frames)]
  if (isTrial) record(first, [...night, '--flaws', 'none', ...trial, ...fixed], bytes)
  else {
    record(first, [...night, '--flaws', name], bytes)
    record(second, [...night, '--flaws', 'none', ...fixed], bytes)
  }
  const flawed = isTrial ? [first, '--variant', `${name}=flaw`] : [first]
  const mended = isTrial ? [first, '--variant', `${name}=fix`] : [second]
  const planned = items.map((item) => ({ ...item }))
  const forecast = (take, of) => {
    writeFileSync(plan, JSON.stringify(planOf(of)))
    return lapsus(['forecast', ...take, '--plan', plan, '--json'])
  }
  if (adjust !== undefined) adjust(planned, forecast(flawed, planned).items)
  const { before, after, ranges, problems } = forecast(flawed, planned)
  if (problems.length > 0) throw new SetupError(`${label}: ${problems.join('; ')}`)
  const recorded = forecast(mended, []).before
  const drift = speedBetween(runsOf(flawed), runsOf(mended))
  const parts = (take) => (take.length > 1 ? `${take[0]}:${take[2]}` : take[0])
  const compared = lapsus(['compare', parts(flawed), '--with', parts(mended), '--json'])
  const p95 = ({ frames }) => frames.work.p95.toFixed(2)
  say(
    `accuracy: seed ${seed}, ${label}: p95 ${p95(before)} ms, forecast ${p95(after)}, recorded ${p95(recorded)}, drift ${drift.toFixed(2)}`,
  )
  return {
    label,
    seed,
    drift,
    ranges,
    before,
    forecast: after,
    after: recorded,
    recorded: compared.frames,
    remedies: items.map(({ remedy }) => remedy),
  }
}

/** What a run of each path costs, ms, by path. */
function runsOf(take) {
  const { ledger } = lapsus(['inspect', ...take, '--json'])
  return new Map(
    ledger
      .filter(({ calls, selfMsPerFrame }) => calls > 0 && selfMsPerFrame >= LEAST_MS)
      .map(({ path, selfMs, calls }) => [path.join('\n'), selfMs / calls]),
  )
}

function record(take, args, bytes) {
  rmSync(take, { force: true })
  run([join(ROOT, 'games/moth-post/dist/main.mjs'), ...args], {
    LAPSUS_TO: take,
    ...(bytes ? { LAPSUS_OPTIONS: JSON.stringify({ mode: 'bytes' }) } : {}),
  })
}

function lapsus(args) {
  return JSON.parse(run([join(ROOT, 'packages/cli/dist/main.mjs'), ...args]))
}

function run(args, env = {}) {
  const result = spawnSync(process.execPath, args, {
    env: { ...process.env, ...env },
    encoding: 'utf8',
    stdio: ['ignore', 'pipe', 'inherit'],
    maxBuffer: MOST_OUTPUT,
  })
  if (result.status !== 0) throw new SetupError(`${args[0]} failed with code ${result.status}`)
  return result.stdout
}
