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

/** Where Lapsus is unless it is told otherwise. */
const USUAL = 'http://127.0.0.1:4780'

/** The address of the running Lapsus: LAPSUS_URL, or the one that `npm start` noted. */
export async function serverAddress(): Promise<string> {
  const address = process.env['LAPSUS_URL'] ?? noted() ?? USUAL
  const answers = await fetch(`${address}/health`).then(
    (response) => response.ok,
    () => false,
  )
  if (!answers) {
    throw new CliError(`no Lapsus answers at ${address}: start it with "npm start", or set LAPSUS_URL`)
  }
  return address
}

function noted(): string | null {
  return existsSync(NOTE)
    ? ((JSON.parse(readFileSync(NOTE, 'utf8')) as { address: string | null }).address ?? null)
    : null
}

/** For a Lapsus that asks who comes in: Basic authentication (RFC 7617), with the password alone. */
export function withPassword(): Record<string, string> {
  const password = process.env['LAPSUS_PASSWORD']
  return password ? { authorization: `Basic ${Buffer.from(`:${password}`).toString('base64')}` } : {}
}

/** The response, or a CliError with what the server says is wrong. */
export async function request(url: string, init?: RequestInit): Promise<Response> {
  const response = await fetch(url, { ...init, headers: { ...withPassword(), ...init?.headers } })
  if (response.ok) return response
  const problem = (await response.json().catch(() => null)) as Problem | null
  throw new CliError(problem?.detail ?? `the server answered ${response.status}`)
}
