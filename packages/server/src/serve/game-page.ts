import serve from 'koa-static'
import { notFound } from '../problem-error.ts'
import { GAME_CONTENT_POLICY } from './headers.ts'
import { handlers } from './routes/mount.ts'

/** Where the demo game can be played in the browser. */
const GAME_PATH = '/games/moth-post/'

/** @param folder of the built page; null where there is none */
export function gamePageRoutes(folder: string | null) {
  const files = folder === null ? null : serve(folder, { maxage: 0 })
  return handlers({
    'GET /games/moth-post': (context) => context.redirect(GAME_PATH),

    'GET /games/moth-post/{*file}': async (context) => {
      if (files === null) throw notFound('page of the game here', 'file')
      // Isolated from other origins, a page gets a clock of 5 µs rather than 100.
      context.set('Cross-Origin-Embedder-Policy', 'require-corp')
      context.set('Content-Security-Policy', GAME_CONTENT_POLICY)
      context.path = context.path.slice(GAME_PATH.length - 1)
      await files(context, async () => {})
    },
  })
}
