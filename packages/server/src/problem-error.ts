/** Something a client asked that cannot be done; the message is meant for them. */
export class ProblemError extends Error {
  readonly status: number
  readonly field: string | undefined
  /** Seconds after which to try again, where that is some use. */
  readonly retryAfterS: number | undefined

  /** What it is, for programs, where they do something about it. */
  readonly code: string | undefined

  constructor(status: number, detail: string, field?: string, retryAfterS?: number, code?: string) {
    super(detail)
    this.status = status
    this.field = field
    this.retryAfterS = retryAfterS
    this.code = code
  }
}

export const notFound = (what: string, field: string) => new ProblemError(404, `there is no ${what}`, field)

/** The database is away; what was asked can be asked again. */
export const databaseAway = (reason: string) => new ProblemError(503, reason, undefined, 2)
