/**
 * A stand-in handset: the same game in a runtime that is really slower and smaller. The engine only
 * interprets, never compiles, and has little memory for new objects.
 */
import { spawn } from 'node:child_process'

export const HANDSET_MB = 96
export const HANDSET = `stand-in handset (interpreter only, ${HANDSET_MB} MB)`
const FLAGS = ['--jitless', `--max-old-space-size=${HANDSET_MB}`, '--max-semi-space-size=1']
const INSIDE = 'MOTH_POST_INSIDE_HANDSET'

export const isInsideHandset = (): boolean => process.env[INSIDE] === '1'

/** Runs this program again inside the handset, and ends with it. */
export function runInsideHandset(): void {
  const child = spawn(process.execPath, [...FLAGS, ...process.argv.slice(1)], {
    stdio: 'inherit',
    env: { ...process.env, [INSIDE]: '1', NODE_NO_WARNINGS: '1' },
  })
  for (const signal of ['SIGINT', 'SIGTERM'] as const) process.on(signal, () => child.kill(signal))
  child.once('exit', (code) => (process.exitCode = code ?? 1))
}
