import { execFile } from 'node:child_process'
import { promisify } from 'node:util'
import type { DemoGame } from '@lapsus/api'

/** The most that one recording of the demo game may ask for. */
export const DEMO_LIMITS = { seconds: 600, letters: 2_000, moths: 2_000 }

/** What can be chosen when the demo game is recorded: the game describes itself. */
export async function describeDemo(script: string): Promise<DemoGame> {
  const { stdout } = await promisify(execFile)(process.execPath, [script, '--describe'])
  return { ...(JSON.parse(stdout) as Omit<DemoGame, 'limits'>), limits: DEMO_LIMITS }
}
