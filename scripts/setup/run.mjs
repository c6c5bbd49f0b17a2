import { spawn } from 'node:child_process'
import { basename } from 'node:path'
import { ROOT } from './root.mjs'

/**
 * Runs a program to its end with its output on ours.
 * @param onOutput is given the output as it comes, if given
 * @param mostMs after which a program that has not ended is killed
 * @returns its exit code
 * @throws Error for a program that cannot be started, or had to be killed
 */
export function run(command, args, { env = {}, onOutput = null, mostMs = Infinity } = {}) {
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
    let late = false
    const kill = () => (late = child.kill('SIGKILL'))
    const timer = mostMs < Infinity ? setTimeout(kill, mostMs) : undefined
    child.once('error', reject)
    child.once('exit', (code, signal) => {
      clearTimeout(timer)
      if (late) reject(new Error(`${basename(command)} had not ended after ${mostMs / 60_000} minutes`))
      else resolve(code ?? (signal ? 1 : 0))
    })
  })
}
