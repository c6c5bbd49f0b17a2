import { existsSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import type { Problem } from '@lapsus/api'
import { CliError } from './errors.ts'

/** Where `npm start` notes that it is running. */
const NOTE = join(
  process.env['LAPSUS_STATE'] ?? fileURLToPath(new URL('../../../.lapsus', import.meta.url)),
  'running.json',
)

/** The address of the running Lapsus: LAPSUS_URL, or the one that `npm start` noted. */
export async function serverAddress(): Promise<string> {
  const address = process.env['LAPSUS_URL'] ?? noted()
  const answers =
    address !== null &&
    (await fetch(`${address}/health`).then(
      (response) => response.ok,
      () => false,
    ))
  if (!answers) {
    throw new CliError(
      address === null
        ? 'no Lapsus is running: start it with "npm start", or set LAPSUS_URL'
        : `no Lapsus answers at ${address}: start it with "npm start", or set LAPSUS_URL`,
    )
  }
  return address
}

function noted(): string | null {
  return existsSync(NOTE)
    ? ((JSON.parse(readFileSync(NOTE, 'utf8')) as { address: string | null }).address ?? null)
    : null
}

/** The response, or a CliError with what the server says is wrong. */
export async function request(url: string, init?: RequestInit): Promise<Response> {
  const response = await fetch(url, init)
  if (response.ok) return response
  const problem = (await response.json().catch(() => null)) as Problem | null
  throw new CliError(problem?.detail ?? `the server answered ${response.status}`)
}
