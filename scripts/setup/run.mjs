import { spawn } from 'node:child_process'
import { ROOT } from './root.mjs'

/**
 * Runs a program to its end with its output on ours.
 * @param onOutput is given the output as it comes, if given
 * @returns its exit code
 */
export function run(command, args, { env = {}, onOutput = null } = {}) {
  return new Promise((resolve, reject) => {
    const child = spawn(command, args, {
      cwd: ROOT,
      env: { ...process.env, ...env },
      stdio: ['ignore', onOutput ? 'pipe' : 'inherit', 'inherit'],
    })
    child.stdout?.on('data', (data) => {
      process.stdout.write(data)
      onOutput(data.toString())
    })
    child.once('error', reject)
    child.once('exit', (code, signal) => resolve(code ?? (signal ? 1 : 0)))
  })
}
