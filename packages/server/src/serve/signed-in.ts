import type { Context, Next } from 'koa'
import { bearerOf } from './upgrade.ts'
import { OTLP_PATH } from './routes/otlp-routes.ts'
import { ProblemError } from '../problem-error.ts'
import type { Access } from '../access/access.ts'

export const SESSION_COOKIE = 'lapsus_session'
export const SESSION_PATH = '/api/session'
const IMPORT_PATH = '/api/imports'

/** Lets in who is signed in, programs that show the password, and games that bring takes with their key. */
export function signedIn(access: Access) {
  return async (context: Context, next: Next): Promise<void> => {
    if (!access.isNeeded || !asksForData(context.path) || (await mayAsk(context, access))) {
      await next()
      return
    }
    throw new ProblemError(401, 'sign in first, or show the password: Authorization: Basic …')
  }
}

const asksForData = (path: string): boolean =>
  (path.startsWith('/api/') && path !== SESSION_PATH) || path === OTLP_PATH

async function mayAsk(context: Context, access: Access): Promise<boolean> {
  const { authorization } = context.headers
  const password = passwordOf(authorization)
  if (password !== undefined) return access.isPassword(password, context.ip)
  const key = bearerOf(authorization)
  if (key === undefined) return access.isSignedIn(context.cookies.get(SESSION_COOKIE))
  const brings = context.path === OTLP_PATH || (context.path === IMPORT_PATH && context.method === 'POST')
  // Whose take it is is only known once it is read: here a key for every game is wanted.
  return brings && access.gamesOf(key) === null
}

/** The password of Basic authentication (RFC 7617); the name before it is of no account. */
function passwordOf(authorization: string | undefined): string | undefined {
  const encoded = /^Basic ([A-Za-z0-9+/=]+)$/i.exec(authorization ?? '')?.[1]
  if (encoded === undefined) return undefined
  const pair = Buffer.from(encoded, 'base64').toString('utf8')
  return pair.slice(pair.indexOf(':') + 1)
}
