/** Errors as RFC 9457 problem details. What a client sees is chosen here, never leaked. */
import { STATUS_CODES, type IncomingMessage } from 'node:http'
import type { Problem } from '@lapsus/api'
import { FormatError } from '@lapsus/core/format'
import type { Context, Next } from 'koa'
import type { Logger } from 'pino'
import { failureKind } from '../store/failure.ts'
import { CommitFailure } from '../ingest/set-aside.ts'
import { StaleWriter } from '../ingest/take-writer.ts'
import { databaseAway, ProblemError } from '../problem-error.ts'

/** How long the rest of a refused request may go on coming. */
const DRAIN_MS = 5_000

export function problemHandler(log: Logger) {
  return async (context: Context, next: Next): Promise<void> => {
    try {
      await next()
      if (context.status === 404 && context.body === undefined)
        throw new ProblemError(404, `there is nothing at ${context.path.slice(0, 200)}`)
    } catch (error) {
      const { problem, retryAfterS } = problemOf(error)
      if (problem.status >= 500 && problem.status !== 503)
        log.error({ err: error, path: context.path.slice(0, 200) }, 'request failed')
      context.status = problem.status
      context.body = JSON.stringify(problem)
      context.type = 'application/problem+json'
      if (retryAfterS !== undefined) context.set('Retry-After', String(retryAfterS))
      if (!(await swallowRest(context.req))) {
        context.set('Connection', 'close')
        context.res.once('finish', () => context.req.destroy())
      }
    }
  }
}

/**
 * The rest of a body that nobody reads would be taken for the next request, and a client that is cut off while it
 * still sends loses the answer: the rest is let in and thrown away first, for a while.
 * @returns whether it came to its end
 */
async function swallowRest(request: IncomingMessage): Promise<boolean> {
  if (request.complete || request.destroyed) return request.complete
  request.unpipe()
  request.resume()
  await new Promise<void>((resolve) => {
    const timer = setTimeout(resolve, DRAIN_MS)
    // One that breaks off has nobody left to answer.
    for (const event of ['end', 'error', 'close']) {
      request.once(event, () => {
        clearTimeout(timer)
        resolve()
      })
    }
  })
  return request.complete
}

/** What whoever asked is told of a failure. */
export function problemOf(error: unknown): { problem: Problem; retryAfterS?: number | undefined } {
  if (error instanceof ProblemError) {
    const { status, message, field, retryAfterS, code } = error
    return { problem: { ...problem(status, message, field), ...(code && { code }) }, retryAfterS }
  }
  if (error instanceof FormatError) return { problem: problem(422, error.message) }
  if (error instanceof StaleWriter) return { problem: problem(409, error.message, 'take') }
  const cause = error instanceof CommitFailure ? error.cause : error
  const kind = failureKind(cause)
  if (kind === 'away') return problemOf(databaseAway('the database does not answer'))
  if (kind === 'full') return problemOf(databaseAway('the disk is full: nothing can be stored'))
  if (kind === 'conflict') return problemOf(databaseAway('somebody else changed the same just now'))
  if (error instanceof CommitFailure) return { problem: problem(500, error.message) }
  // Errors that Koa and its middleware mark as the client's: a body too large, JSON that does not parse.
  const { status, expose, message, code } = error as {
    status?: number
    expose?: boolean
    message: string
    code?: unknown
  }
  if (typeof status === 'number' && status >= 400 && status < 500 && expose !== false)
    return { problem: problem(status, message) }
  if (String(code).startsWith('Z_'))
    return { problem: problem(400, 'the body is not what its encoding says') }
  if (code === 'ECONNRESET' || code === 'ERR_STREAM_PREMATURE_CLOSE' || code === 'ECONNABORTED')
    return { problem: problem(400, 'the request broke off') }
  return { problem: problem(500, 'something failed in the server; its log says what') }
}

function problem(status: number, detail: string, field?: string): Problem {
  return {
    type: 'about:blank',
    title: STATUS_CODES[status] ?? 'Error',
    status,
    detail,
    ...(field === undefined ? {} : { field }),
  }
}
