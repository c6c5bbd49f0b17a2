import type { Middleware } from 'koa'
import serve from 'koa-static'
import { GAME_CONTENT_POLICY } from './headers.ts'

/** Where the demo game can be played in the browser. */
const GAME_PATH = '/games/moth-post/'

/** @param folder of the built page */
export function gamePage(folder: string): Middleware {
  const files = serve(folder, { maxage: 0 })
  return async (context, next) => {
    if (context.path === GAME_PATH.slice(0, -1)) {
      context.redirect(GAME_PATH)
      return
    }
    if (!context.path.startsWith(GAME_PATH)) {
      await next()
      return
    }
    // Isolated from other origins, a page gets a clock of 5 µs rather than 100.
    context.set('Cross-Origin-Embedder-Policy', 'require-corp')
    context.set('Content-Security-Policy', GAME_CONTENT_POLICY)
    context.path = context.path.slice(GAME_PATH.length - 1)
    await files(context, async () => {})
  }
}
