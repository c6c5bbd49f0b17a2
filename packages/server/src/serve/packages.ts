import type { Middleware } from 'koa'
import serve from 'koa-static'

const PACKAGES_PATH = '/packages/'
/** What is served: nothing of the folders the packages were made in. */
const FILE = /^\/packages\/lapsus-(probe|cli)\.(tgz|js)$/

/** What a game outside this repository installs, or a page loads by a script tag. */
export function packages(folder: string): Middleware {
  const files = serve(folder, { maxage: 0 })
  return async (context, next) => {
    if (!FILE.test(context.path)) return next()
    // A game's page is of another origin.
    context.set('Cross-Origin-Resource-Policy', 'cross-origin')
    context.path = context.path.slice(PACKAGES_PATH.length - 1)
    await files(context, async () => {})
  }
}
