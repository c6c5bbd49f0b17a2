/** Errors as RFC 9457 problem details. What a client sees is chosen here, never leaked. */
import { STATUS_CODES } from 'node:http'
import type { Problem } from '@lapsus/api'
import { FormatError } from '@lapsus/core/format'
import type { Context, Next } from 'koa'
import type { Logger } from 'pino'
import { ProblemError } from '../problem-error.ts'

export function problemHandler(log: Logger) {
  return async (context: Context, next: Next): Promise<void> => {
    try {
      await next()
      if (context.status === 404 && context.body === undefined)
        throw new ProblemError(404, `there is nothing at ${context.path}`)
    } catch (error) {
      const problem = problemOf(error)
      if (problem.status >= 500) log.error({ err: error, path: context.path }, 'request failed')
      context.status = problem.status
      context.body = JSON.stringify(problem)
      context.type = 'application/problem+json'
    }
  }
}

function problemOf(error: unknown): Problem {
  if (error instanceof ProblemError) return problem(error.status, error.message, error.field)
  if (error instanceof FormatError) return problem(422, error.message)
  // Errors that Koa and its middleware mark as the client's: a body too large, JSON that does not parse.
  const { status, expose, message } = error as { status?: number; expose?: boolean; message: string }
  if (typeof status === 'number' && status < 500 && expose !== false) return problem(status, message)
  return problem(500, 'something failed in the server; its log says what')
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
