/** Something a client asked that cannot be done; the message is meant for them. */
export class ProblemError extends Error {
  readonly status: number
  readonly field: string | undefined

  constructor(status: number, detail: string, field?: string) {
    super(detail)
    this.status = status
    this.field = field
  }
}

export const notFound = (what: string, field: string) => new ProblemError(404, `there is no ${what}`, field)
