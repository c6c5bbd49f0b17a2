/** Puts a handler at each address of the table, behind what the table asks of it. */
import { bodyParser } from '@koa/bodyparser'
import Router from '@koa/router'
import type { Context, Middleware, Next } from 'koa'
import type { DatabaseHealth } from '../../store/health.ts'
import { databaseAway } from '../../problem-error.ts'
import type { Bodies } from '../bodies.ts'
import type { Admission } from '../admission.ts'
import { ROUTES, type RouteName } from './table.ts'

export type Handler = (context: Context) => unknown

/** Handlers by their line in the table. */
export const handlers = <K extends RouteName>(of: Record<K, Handler>): Record<K, Handler> => of

/** Two spellings of an address are two addresses: nothing is reached by another than the table's. */
const EXACT = { sensitive: true, strict: true }

const parseBody = bodyParser({ enableTypes: ['json'], jsonLimit: '1mb' })

export interface Around {
  health: DatabaseHealth
  admission: Admission
  bodies: Bodies
}

/**
 * @param all a handler for each route of the table, and for none besides
 * @throws Error when a route has none
 */
export function mounted(all: Readonly<Record<string, Handler>>, around: Around): Router {
  const router = new Router(EXACT)
  for (const [name, route] of Object.entries(ROUTES)) {
    const handler = all[name]
    if (handler === undefined) throw new Error(`${name} has no handler`)
    const [method, path] = name.split(' ') as [string, string]
    router.register(
      path,
      [method],
      [
        ...(route.withoutDatabase === true ? [] : [whileDatabaseAnswers(around.health)]),
        around.admission.of(route.who),
        ...(method === 'GET' || route.readsBody === 'in-pieces' ? [] : [around.bodies.within]),
        ...(method === 'GET' || route.readsBody !== undefined ? [] : [parseBody as Middleware]),
        async (context: Context) => void (await handler(context)),
      ],
    )
  }
  return router
}

/** Nothing that needs the database waits for one that is away. */
const whileDatabaseAnswers = (health: DatabaseHealth) => (_context: Context, next: Next) =>
  health.whileItAnswers(next, databaseAway)

const firstPart = (path: string): string | undefined => path.split('/').find((part) => part !== '')

const TAKEN = new Set(Object.keys(ROUTES).map((name) => firstPart(name.split(' ')[1]!)))

/**
 * Whether an address begins like one of the table's, in whatever spelling: it is then none of the pages', which have
 * an answer to everything else.
 */
export function isLikeARoute(path: string): boolean {
  const { pathname } = new URL(path.replace(/^[/\\]+/, '/'), 'http://here')
  try {
    return TAKEN.has(firstPart(decodeURIComponent(pathname).replaceAll('\\', '/'))?.toLowerCase())
  } catch {
    return true
  }
}
