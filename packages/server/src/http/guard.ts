/** Only pages of this server, and programs on this machine, get in. */
import type { IncomingMessage } from 'node:http'
import type { Context, Next } from 'koa'
import { ProblemError } from '../problem-error.ts'

const LOOPBACK = new Set(['127.0.0.1', 'localhost', '[::1]'])

/** Whether the Host header names this machine: a page elsewhere cannot reach it under a name of its own. */
export function hostIsLocal(host: string | undefined): boolean {
  return host !== undefined && LOOPBACK.has(host.replace(/:\d+$/, '').toLowerCase())
}

function originIsLocal(origin: string): boolean {
  try {
    return LOOPBACK.has(new URL(origin).hostname)
  } catch {
    return false
  }
}

/** @param extraOrigins origins beside the server's own that may call the API */
export function guard(extraOrigins: string[]) {
  return async (context: Context, next: Next): Promise<void> => {
    if (!hostIsLocal(context.headers.host))
      throw new ProblemError(403, 'the Host header must name this machine', 'Host')
    const { origin } = context.headers
    const own = `http://${context.headers.host}`
    if (origin !== undefined && origin !== own && !extraOrigins.includes(origin)) {
      throw new ProblemError(403, `pages of ${origin} may not call this server`, 'Origin')
    }
    await next()
  }
}

/** A game's page may come from any port of this machine. */
export function mayStream(request: IncomingMessage): boolean {
  const { host, origin } = request.headers
  return hostIsLocal(host) && (origin === undefined || originIsLocal(origin))
}
