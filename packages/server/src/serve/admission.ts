/** Who may ask at an address: what its route says, held against what the request brings. */
import type { Context, Middleware, Next } from 'koa'
import { bearerOf, keyOf } from './upgrade.ts'
import type { Access, Allowed } from '../access/access.ts'
import { ProblemError } from '../problem-error.ts'
import type { Who } from './routes/table.ts'

export const SESSION_COOKIE = 'lapsus_session'
export const DEVICE_COOKIE = 'lapsus_device'

export class Admission {
  readonly #access: Access

  constructor(access: Access) {
    this.#access = access
  }

  of(who: Who): Middleware {
    return async (context: Context, next: Next) => {
      await this.#check(who, context)
      await next()
    }
  }

  /** @throws ProblemError 401, or 429 after too many wrong tries */
  async #check(who: Who, context: Context): Promise<void> {
    const access = this.#access
    if (who === 'game') {
      context.state['allowed'] = await access.games(keyOf(context.req), context.ip)
      return
    }
    if (who === 'anybody' || !access.isNeeded) return
    const password = passwordOf(context.headers.authorization)
    if (password !== undefined) {
      await access.checkPassword(password, context.ip)
      return
    }
    const key = bearerOf(context.headers.authorization)
    if (key !== undefined && who === 'sender') {
      // Whose take it is is only known once it is read.
      if ((await access.games(key, context.ip)).game !== null)
        throw new ProblemError(401, 'the ingest key of one game does not do here: show that of all games')
      return
    }
    if (key === undefined && (await access.isSignedIn(context.cookies.get(SESSION_COOKIE)))) return
    throw new ProblemError(401, 'sign in first, or show the password: Authorization: Basic …')
  }
}

/** Which game may record with the key that a request has brought; null for any. */
export const gamesAllowed = (context: Context): string | null => (context.state['allowed'] as Allowed).game

/** The password of Basic authentication (RFC 7617); the name before it is of no account. */
function passwordOf(authorization: string | undefined): string | undefined {
  const encoded = /^Basic ([A-Za-z0-9+/=]+)$/i.exec(authorization ?? '')?.[1]
  if (encoded === undefined) return undefined
  const pair = Buffer.from(encoded, 'base64').toString('utf8')
  return pair.slice(pair.indexOf(':') + 1)
}
