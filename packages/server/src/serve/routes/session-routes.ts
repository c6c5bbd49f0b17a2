import Router from '@koa/router'
import type { SessionState } from '@lapsus/api'
import { SESSION_DAYS, type Access } from '../../access/access.ts'
import { SESSION_COOKIE, SESSION_PATH } from '../signed-in.ts'
import { parseRequest, SignInBody } from '../requests.ts'

/** Signing in and out. */
export function sessionRoutes(access: Access): Router {
  const router = new Router()

  router.get(SESSION_PATH, async (context) => {
    const state: SessionState = {
      isNeeded: access.isNeeded,
      isSignedIn: await access.isSignedIn(context.cookies.get(SESSION_COOKIE)),
    }
    context.body = state
  })

  router.post(SESSION_PATH, async (context) => {
    const { password } = await parseRequest(SignInBody, context.request.body)
    context.cookies.set(SESSION_COOKIE, await access.signIn(password, context.ip), {
      httpOnly: true,
      sameSite: 'strict',
      secure: context.secure,
      maxAge: SESSION_DAYS * 24 * 3600 * 1000,
    })
    context.status = 204
  })

  router.delete(SESSION_PATH, async (context) => {
    await access.signOut(context.cookies.get(SESSION_COOKIE))
    context.cookies.set(SESSION_COOKIE, null)
    context.status = 204
  })

  return router
}
