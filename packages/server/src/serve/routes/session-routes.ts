import { handlers } from './mount.ts'
import type { SessionState } from '@lapsus/api'
import type { Context } from 'koa'
import { DEVICE_DAYS, SESSION_DAYS, type Access } from '../../access/access.ts'
import { notFound } from '../../problem-error.ts'
import { DEVICE_COOKIE, SESSION_COOKIE } from '../admission.ts'
import { parseRequest, SignInBody } from '../requests.ts'

/** Signing in and out. */
export function sessionRoutes(access: Access) {
  return handlers({
    'GET /api/session': async (context) => {
      const state: SessionState = {
        isNeeded: access.isNeeded,
        isSignedIn: await access.isSignedIn(context.cookies.get(SESSION_COOKIE)),
      }
      context.body = state
    },

    'POST /api/session': async (context) => {
      const { password } = await parseRequest(SignInBody, context.request.body)
      const given = await access.signIn(password, {
        address: context.ip,
        agent: context.get('user-agent'),
        device: context.cookies.get(DEVICE_COOKIE),
      })
      giveCookie(context, SESSION_COOKIE, given.session, SESSION_DAYS)
      giveCookie(context, DEVICE_COOKIE, given.device, DEVICE_DAYS)
      context.status = 204
    },

    'DELETE /api/session': async (context) => {
      await access.signOut(context.cookies.get(SESSION_COOKIE))
      context.cookies.set(SESSION_COOKIE, null)
      context.status = 204
    },

    'GET /api/sessions': async (context) => {
      context.body = await access.sessions(context.cookies.get(SESSION_COOKIE))
    },

    'DELETE /api/sessions': async (context) => {
      await access.signOutEverywhere()
      context.status = 204
    },

    'DELETE /api/sessions/:session': async (context) => {
      if (!(await access.endSession(context['params'].session)))
        throw notFound('session of that id', 'session')
      context.status = 204
    },
  })
}

const giveCookie = (context: Context, name: string, value: string, days: number): void => {
  context.cookies.set(name, value, {
    httpOnly: true,
    sameSite: 'strict',
    secure: context.secure,
    maxAge: days * 24 * 3_600_000,
  })
}
