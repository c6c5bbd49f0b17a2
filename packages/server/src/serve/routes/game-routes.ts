import { handlers } from './mount.ts'
import type { Context } from 'koa'
import { notFound } from '../../problem-error.ts'
import type { Store } from '../../store/store.ts'
import type { Pool } from '../pool/pool.ts'
import { listGames } from '../queries/takes.ts'
import { dropComparison, keepComparison, listTried } from '../queries/tried.ts'
import { GameQuery, KeptComparisonBody, parseRequest, TriedQuery } from '../requests.ts'
import { takesOf } from '../take-of.ts'

/** What is said of a game as a whole: over weeks, over devices, and what was tried. */
export function gameRoutes(store: Store, pool: Pool) {
  return handlers({
    'GET /api/games': async (context) => {
      context.body = await listGames(store)
    },

    'GET /api/history': async (context) => {
      const game = await gameOf(store, context)
      context.body = { lines: await pool.run('history', { game }) }
    },

    'GET /api/devices': async (context) => {
      const game = await gameOf(store, context)
      context.body = await pool.run('devices', { game })
    },

    'GET /api/tried': async (context) => {
      const { game: name, search } = await parseRequest(TriedQuery, { ...context.query })
      context.body = await listTried(store, await idOf(store, name), search)
    },

    'POST /api/kept-comparisons': async (context) => {
      const kept = await parseRequest(KeptComparisonBody, context.request.body)
      const [first] = await takesOf(store, [...kept.before, ...kept.after], 'before')
      context.body = await keepComparison(store, first!.gameId, kept)
      context.status = 201
    },

    'DELETE /api/kept-comparisons/:comparison': async (context) => {
      if (!(await dropComparison(store, context['params'].comparison)))
        throw notFound('comparison of that name', 'comparison')
      context.status = 204
    },
  })
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
