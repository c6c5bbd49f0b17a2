/** What a span costs in other languages, as their emitters measure it where a game begins. */
import { spawnSync } from 'node:child_process'
import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { ROOT } from './root.mjs'
import { SetupError } from './say.mjs'

const ROUNDS = 5

const LANGUAGES = {
  C: (folder) => ({
    build: ['cc', '-O2', '-o', join(folder, 'bats'), 'examples/c/bats.c', '-pthread', '-lm'],
    play: [join(folder, 'bats')],
  }),
  'C#': (folder) => ({
    build: [
      ...['mcs', '-optimize', `-out:${join(folder, 'bats.exe')}`],
      ...['examples/csharp/Bats.cs', 'emitters/csharp/Lapsus.cs'],
    ],
    play: ['mono', join(folder, 'bats.exe')],
  }),
  LuaJIT: () => ({ play: ['luajit', 'examples/lua/bats.lua'] }),
  'Lua 5.4': () => ({ play: ['lua5.4', 'examples/lua/bats.lua'] }),
  Python: () => ({ play: ['python3', 'examples/python/bats.py'] }),
}

/** By language: ns of a span and of two readings of its clock, where the span is cheapest of some plays. */
export function emitterCosts() {
  const folder = mkdtempSync(join(tmpdir(), 'lapsus-emitters-'))
  try {
    return Object.fromEntries(
      Object.entries(LANGUAGES).map(([name, of]) => {
        const { build, play } = of(folder)
        if (build !== undefined) run(build)
        const costs = Array.from({ length: ROUNDS }, () => costOf(play, join(folder, 'take')))
        return [name, costs.sort((a, b) => a.spanNs - b.spanNs)[0]]
      }),
    )
  } finally {
    rmSync(folder, { recursive: true, force: true })
  }
}

/** Plays a few frames, and reads what the take says of its recorder. */
function costOf(play, file) {
  run([...play, file, '3', '1'])
  const inspected = run([process.execPath, 'packages/cli/bin/lapsus.mjs', 'inspect', file, '--json'])
  const { spanNs, clockReadNs } = JSON.parse(inspected).take.conditions.recorder
  return { spanNs, clocksNs: 2 * clockReadNs }
}

function run([command, ...args]) {
  const { status, stdout, stderr } = spawnSync(command, args, { cwd: ROOT, encoding: 'utf8' })
  if (status !== 0) throw new SetupError(`${command} ${args.join(' ')} failed:\n${stderr}`)
  return stdout
}
