/** Scripts of `npm start` and the like as processes of their own, and what they say. */
import { spawn, type ChildProcess } from 'node:child_process'
import { existsSync, readFileSync } from 'node:fs'
import { join } from 'node:path'

export const ROOT = join(import.meta.dirname, '../..')

export interface Run {
  child: ChildProcess
  output(): string
  /** Resolves to the exit code. */
  ended: Promise<number | null>
}

export function run(script: string, args: string[], env: Record<string, string | undefined>): Run {
  const child = spawn(process.execPath, [join(ROOT, 'scripts', script), ...args], {
    env: { ...process.env, ...env },
    stdio: ['ignore', 'pipe', 'pipe'],
  })
  let text = ''
  child.stdout!.on('data', (data) => (text += data))
  child.stderr!.on('data', (data) => (text += data))
  const ended = new Promise<number | null>((resolve) => child.once('close', resolve))
  return { child, output: () => text, ended }
}

export async function says({ output, ended }: Run, words: string): Promise<void> {
  let over = false
  void ended.then(() => (over = true))
  while (!output().includes(words)) {
    if (over) throw new Error(`it ended without saying “${words}”:\n${output()}`)
    await pause(30)
  }
}

export const addressOf = ({ output }: Run): string => /Lapsus is at (\S+)/.exec(output())![1]!

const STARTED = {
  server: /listening at \S+ \(process (\d+)\)/g,
  database: /MariaDB answers on \S+ \(process (\d+)\)/g,
}

/** The process that was last told to run; NaN when none was yet. */
export const processOf = ({ output }: Run, part: 'server' | 'database'): number =>
  Number([...output().matchAll(STARTED[part])].at(-1)?.[1])

export function isAlive(pid: number): boolean {
  try {
    return existsSync(`/proc/${pid}`) && !readFileSync(`/proc/${pid}/stat`, 'utf8').includes(') Z ')
  } catch {
    return false
  }
}

export const pause = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms))

/** Whether the product there answers and is well. */
export async function isHealthy(address: string): Promise<boolean> {
  const answer = await fetch(`${address}/health`, { signal: AbortSignal.timeout(5_000) }).catch(() => null)
  return answer?.status === 200
}
