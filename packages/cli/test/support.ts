/** The built command, run as a person would run it, in a folder of the test's own. */
import { spawn } from 'node:child_process'
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'

export const ROOT = join(import.meta.dirname, '../../..')
const LAPSUS = join(ROOT, 'packages/cli/bin/lapsus.mjs')
export const GAME = join(ROOT, 'games/moth-post/dist/main.mjs')

export function lapsus(args: string[], env: Record<string, string | undefined> = {}) {
  return new Promise<{ code: number | null; out: string; err: string }>((resolve) => {
    const child = spawn(process.execPath, [LAPSUS, ...args], { env: { ...process.env, ...env } })
    let out = ''
    let err = ''
    child.stdout.on('data', (data) => (out += data))
    child.stderr.on('data', (data) => (err += data))
    child.once('close', (code) => resolve({ code, out, err }))
  })
}

/** A folder that is gone after the tests, and how to write files to it. */
export function testFolder(): { folder: string; file(name: string, bytes: Uint8Array): string } {
  const folder = mkdtempSync(join(tmpdir(), 'lapsus-cli-'))
  after(() => rmSync(folder, { recursive: true }))
  return {
    folder,
    file(name, bytes) {
      const path = join(folder, name)
      writeFileSync(path, bytes)
      return path
    },
  }
}
