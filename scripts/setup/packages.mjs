import { spawnSync } from 'node:child_process'
import { createHash } from 'node:crypto'
import { existsSync, readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { ROOT } from './root.mjs'
import { SetupError, say } from './say.mjs'

/** Oldest Node.js that the locked packages run on. */
const NODE_AT_LEAST = [20, 10]

export function checkNode() {
  const [major, minor] = process.versions.node.split('.').map(Number)
  if (major > NODE_AT_LEAST[0] || (major === NODE_AT_LEAST[0] && minor >= NODE_AT_LEAST[1])) return
  throw new SetupError(
    `Node.js ${NODE_AT_LEAST.join('.')} or later is needed; this is ${process.versions.node}.`,
  )
}

/** Runs `npm ci` when the lock file is not the one that was last installed. */
export function ensurePackages() {
  const stamp = join(ROOT, 'node_modules', '.lapsus-lock')
  const lock = createHash('sha256')
    .update(readFileSync(join(ROOT, 'package-lock.json')))
    .digest('hex')
  if (existsSync(stamp) && readFileSync(stamp, 'utf8') === lock) {
    say('npm packages: in place')
    return
  }
  say('npm packages: installing those of package-lock.json')
  const result = spawnSync('npm', ['ci', '--ignore-scripts', '--no-audit', '--no-fund', '--loglevel=error'], {
    cwd: ROOT,
    stdio: ['ignore', 'inherit', 'inherit'],
  })
  if (result.error?.code === 'ENOENT') throw new SetupError('npm is missing: install npm and run again.')
  if (result.status !== 0) {
    throw new SetupError('"npm ci" failed; see its message above. Is the npm registry within reach?')
  }
  writeFileSync(stamp, lock)
}
