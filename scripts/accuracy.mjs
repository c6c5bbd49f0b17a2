/**
 * `npm run accuracy`: plays the demo game with each flaw alone, with all and with none, on several seeds,
 * and writes docs/accuracy.md: what was found, missed, and found where nothing is. Takes about half an hour.
 */
import { spawnSync } from 'node:child_process'
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { accuracyPage, FLAW_FINDINGS, isFoundBy } from './setup/accuracy.mjs'
import { ensureBuilt } from './setup/build.mjs'
import { checkNode, ensurePackages } from './setup/packages.mjs'
import { ROOT } from './setup/root.mjs'
import { runMain, say, SetupError } from './setup/say.mjs'

const SEEDS = [1, 2, 3]
/** Two bells and four gates. */
const SECONDS = 27
const MOST_OUTPUT = 256 * 1024 * 1024

await runMain(async () => {
  checkNode()
  ensurePackages()
  await ensureBuilt()
  const folder = mkdtempSync(join(tmpdir(), 'lapsus-accuracy-'))
  try {
    const flaws = Object.keys(FLAW_FINDINGS)
    const runs = SEEDS.flatMap((seed) => {
      const play = (name, bytes) => ({ name, seed, bytes, ...record(folder, name, seed, bytes) })
      return [
        play('none', false),
        play('none', true),
        play('all', false),
        play('all', true),
        ...flaws.map((flaw) => play(flaw, FLAW_FINDINGS[flaw].bytes === true)),
      ]
    })
    const date = new Date().toISOString().slice(0, 10)
    writeFileSync(
      join(ROOT, 'docs/accuracy.md'),
      accuracyPage(runs, { seeds: SEEDS, seconds: SECONDS, date }),
    )
    say('accuracy: docs/accuracy.md is written')
  } finally {
    rmSync(folder, { recursive: true, force: true })
  }
})

/** Plays a night, and gives what is found in it. */
function record(folder, flaws, seed, bytes) {
  const take = join(folder, 'night.lapsus')
  const game = [join(ROOT, 'games/moth-post/dist/main.mjs'), '--flaws', flaws, '--seed', String(seed)]
  run([...game, '--seconds', String(SECONDS)], {
    LAPSUS_TO: take,
    ...(bytes ? { LAPSUS_OPTIONS: JSON.stringify({ mode: 'bytes' }) } : {}),
  })
  const inspected = run([join(ROOT, 'packages/cli/dist/main.mjs'), 'inspect', take, '--json'])
  const { frames, findings, spikes } = JSON.parse(inspected)
  rmSync(take)
  const found = Object.keys(FLAW_FINDINGS).filter((flaw) => findings.some((one) => isFoundBy(flaw, one)))
  say(`accuracy: seed ${seed}, ${flaws}${bytes ? ' (bytes)' : ''}: ${found.join(', ') || 'nothing of these'}`)
  return { frames, findings, spikes: spikes.length }
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
