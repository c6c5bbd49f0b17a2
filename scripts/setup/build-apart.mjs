import { spawnSync } from 'node:child_process'
import { join } from 'node:path'
import { ROOT } from './root.mjs'
import { SetupError } from './say.mjs'

/** Builds in a process of its own: the build tools take half a gigabyte, which whoever only supervises must not keep. */
export function ensureBuiltApart() {
  const result = spawnSync(process.execPath, [join(ROOT, 'scripts/build.mjs')], {
    cwd: ROOT,
    stdio: ['ignore', 'inherit', 'inherit'],
  })
  if (result.status !== 0) throw new SetupError('The build failed; see its message above.')
}
