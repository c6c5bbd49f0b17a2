/**
 * `npm run test:cluster`: a real cluster of three databases, two servers and eight games, of which one after the other
 * dies or hangs; writes its part of docs/reliability.md. Takes about three minutes.
 */
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { ensureBuilt } from './setup/build.mjs'
import { ensurePrograms, MARIADB } from './setup/debian.mjs'
import { checkNode, ensurePackages } from './setup/packages.mjs'
import { clusterSection, withClusterSection } from './setup/reliability.mjs'
import { ROOT } from './setup/root.mjs'
import { run } from './setup/run.mjs'
import { runMain, say } from './setup/say.mjs'

await runMain(async () => {
  checkNode()
  ensurePrograms(MARIADB)
  ensurePackages()
  await ensureBuilt()
  const folder = mkdtempSync(join(tmpdir(), 'lapsus-cluster-figures-'))
  const figures = join(folder, 'figures.json')
  try {
    const mocha = [
      '--no-config',
      '--exit',
      '--require=./scripts/setup/own-state.mjs',
      '--node-option',
      'import=tsx',
      'test/cluster/*.test.ts',
    ]
    process.exitCode = await run(join(ROOT, 'node_modules/.bin/mocha'), mocha, {
      env: { NODE_ENV: 'test', FAULTS_FIGURES: figures },
    })
    if (process.exitCode !== 0) return
    const page = join(ROOT, 'docs/reliability.md')
    const section = clusterSection(JSON.parse(readFileSync(figures, 'utf8')).cluster)
    writeFileSync(page, withClusterSection(readFileSync(page, 'utf8'), section))
    say('cluster: docs/reliability.md is written')
  } finally {
    rmSync(folder, { recursive: true, force: true })
  }
})
