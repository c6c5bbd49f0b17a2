import Router from '@koa/router'
import type { Context } from 'koa'
import { notFound } from '../../problem-error.ts'
import type { Store } from '../../store/store.ts'
import type { Pool } from '../pool/pool.ts'
import { listGames } from '../queries/takes.ts'
import { dropComparison, keepComparison, listTried } from '../queries/tried.ts'
import { GameQuery, KeptComparisonBody, parseRequest, TriedQuery } from '../requests.ts'
import { takesOf } from '../take-of.ts'

/** What is said of a game as a whole: over weeks, over devices, and what was tried. */
export function gameRoutes(store: Store, pool: Pool): Router {
  const router = new Router({ prefix: '/api' })

  router.get('/games', async (context) => {
    context.body = await listGames(store)
  })

  router.get('/history', async (context) => {
    const game = await gameOf(store, context)
    context.body = { lines: await pool.run('history', { game }) }
  })

  router.get('/devices', async (context) => {
    const game = await gameOf(store, context)
    context.body = await pool.run('devices', { game })
  })

  router.get('/tried', async (context) => {
    const { game: name, search } = await parseRequest(TriedQuery, { ...context.query })
    context.body = await listTried(store, await idOf(store, name), search)
  })

  router.post('/kept-comparisons', async (context) => {
    const kept = await parseRequest(KeptComparisonBody, context.request.body)
    const [first] = await takesOf(store, [...kept.before, ...kept.after], 'before')
    context.body = await keepComparison(store, first!.gameId, kept)
    context.status = 201
  })

  router.delete('/kept-comparisons/:comparison', async (context) => {
    if (!(await dropComparison(store, context['params'].comparison)))
      throw notFound('comparison of that name', 'comparison')
    context.status = 204
  })

  return router
}

async function gameOf(store: Store, context: Context): Promise<number> {
  const { game } = await parseRequest(GameQuery, { ...context.query })
  return idOf(store, game)
}

async function idOf(store: Store, name: string): Promise<number> {
  const row = await store.games.findOne({ where: { name }, raw: true })
  if (row === null) throw notFound(`game ${name}`, 'game')
  return row.id
}
