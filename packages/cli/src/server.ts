import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import type { Problem } from '@lapsus/api'
import { CliError } from './errors.ts'
import { userState } from './user-state.ts'

/** Where `npm start` notes that it is running: in its own state, and in the user's. */
const NOTES = [
  process.env['LAPSUS_STATE'] ?? fileURLToPath(new URL('../../../.lapsus', import.meta.url)),
  // For a command line that lies elsewhere, in the folder of a game.
  userState(),
].map((folder) => join(folder, 'running.json'))

/** Where Lapsus is unless it is told otherwise. */
const USUAL = 'http://127.0.0.1:4780'

/** The address of the running Lapsus: LAPSUS_URL, or one that `npm start` noted, whichever answers. */
export async function serverAddress(): Promise<string> {
  const given = process.env['LAPSUS_URL']
  const addresses = given === undefined ? [...new Set([...NOTES.flatMap(noted), USUAL])] : [given]
  for (const address of addresses) if (await answers(address)) return address
  throw new CliError(
    `no Lapsus answers at ${addresses.join(' or ')}: start it with "npm start", or set LAPSUS_URL`,
  )
}

const answers = (address: string): Promise<boolean> =>
  fetch(`${address}/health`).then(
    (response) => response.ok,
    () => false,
  )

/** A note may be of a run that was killed, or half written. */
function noted(file: string): string[] {
  try {
    const { address } = JSON.parse(readFileSync(file, 'utf8')) as { address?: unknown }
    return typeof address === 'string' ? [address] : []
  } catch {
    return []
  }
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
