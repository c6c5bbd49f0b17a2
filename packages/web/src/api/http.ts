/** The way to the server: asked again while it is away, and its complaints in words. */
import type { Problem } from '@lapsus/api'
import { untilBack } from '../state/connection.ts'
import { useSession } from '../state/session.ts'

/** What the server, or the way to it, says is wrong; its message is fit to show. */
export class RequestError extends Error {
  readonly status: number
  constructor(status: number, message: string) {
    super(message)
    this.status = status
  }
}

export const NO_ANSWER = 'The server does not answer. Is Lapsus still running?'
/** The database is away. */
const AWAY = 503
export const SESSION = '/api/session'

export async function send(path: string, init: RequestInit = {}): Promise<Response> {
  for (;;) {
    let response: Response | null
    try {
      response = await fetch(path, init)
    } catch (error) {
      if ((error as Error).name === 'AbortError') throw error
      response = null
    }
    if (response?.ok) return response
    const problem = (await response?.json().catch(() => null)) as Problem | null
    const error = new RequestError(
      response?.status ?? 0,
      response === null ? NO_ANSWER : (problem?.detail ?? `The server answered ${response.status}.`),
    )
    if (error.status === 401 && path !== SESSION) useSession.setState({ mustSignIn: true })
    const isAway = error.status === 0 || error.status === AWAY
    // What only asks is asked again; what changes something is for whoever asked to decide.
    if (!isAway || (init.method ?? 'GET') !== 'GET') throw error
    await untilBack(error.message)
    if (init.signal?.aborted) throw new DOMException('not wanted any more', 'AbortError')
  }
}

export const json = async (path: string, init?: RequestInit): Promise<unknown> =>
  (await send(path, init)).json()
export const binary = async (path: string, init?: RequestInit) =>
  new Uint8Array(await (await send(path, init)).arrayBuffer())
export const withBody = (method: string, body: unknown): RequestInit => ({
  method,
  headers: { 'content-type': 'application/json' },
  body: JSON.stringify(body),
})

/** The address of a take. */
export const takeAt = (id: string) => `/api/takes/${encodeURIComponent(id)}`
export const framesAt = (id: string) => `${takeAt(id)}/frames`
