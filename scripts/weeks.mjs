/**
 * `npm run weeks`: plays forty short nights of twelve versions of the demo game, two of which bring something in, into the
 * running Lapsus, and says what its history finds. Takes about two minutes; `-- --nights 10` plays fewer.
 */
import { spawnSync } from 'node:child_process'
import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { parseArgs } from 'node:util'
import { ensureBuilt } from './setup/build.mjs'
import { checkNode, ensurePackages } from './setup/packages.mjs'
import { ROOT } from './setup/root.mjs'
import { runMain, say, SetupError } from './setup/say.mjs'

const VERSIONS = 12
/** What a version brings in, and all later ones have. */
const BROUGHT_IN = new Map([
  [4, { flaw: 'lantern-all-pairs', path: 'lantern.measure' }],
  [9, { flaw: 'moth-objects', path: 'wing.beat' }],
])
const SECONDS = 4

const { values: options } = parseArgs({ options: { nights: { type: 'string', default: '40' } } })
const NIGHTS = Number(options.nights)

await runMain(async () => {
  if (!Number.isInteger(NIGHTS) || NIGHTS < 1)
    throw new SetupError(`--nights must be a number from 1, got ${options.nights}`)
  checkNode()
  ensurePackages()
  await ensureBuilt()
  const folder = mkdtempSync(join(tmpdir(), 'lapsus-weeks-'))
  try {
    for (let night = 0; night < NIGHTS; night++) {
      const version = Math.floor((night * VERSIONS) / NIGHTS)
      const flaws = [...BROUGHT_IN].flatMap(([from, { flaw }]) => (version >= from ? [flaw] : []))
      const take = join(folder, 'night.lapsus')
      const args = ['--flaws', flaws.join(',') || 'none', '--game-version', `1.${version}.0`]
      const length = ['--seed', '1', '--seconds', String(SECONDS), '--no-paced']
      run([join(ROOT, 'games/moth-post/dist/main.mjs'), ...args, ...length], { LAPSUS_TO: take })
      run([join(ROOT, 'packages/cli/dist/main.mjs'), 'import', take])
      rmSync(take)
      say(`weeks: night ${night + 1} of ${NIGHTS}, version 1.${version}.0`)
    }
    process.stdout.write(run([join(ROOT, 'packages/cli/dist/main.mjs'), 'history', 'Moth Post']))
  } finally {
    rmSync(folder, { recursive: true, force: true })
  }
})

function run(args, env = {}) {
  const result = spawnSync(process.execPath, args, {
    env: { ...process.env, ...env },
    encoding: 'utf8',
    stdio: ['ignore', 'pipe', 'inherit'],
  })
  if (result.status !== 0) throw new SetupError(`${args[0]} failed with code ${result.status}`)
  return result.stdout
}
