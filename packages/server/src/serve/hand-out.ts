import type { Middleware } from 'koa'
import serve from 'koa-static'

export const HAND_OUT_PATH = '/get/'
/** What games and other machines take from here, and as what; nothing else of the folder they lie in. */
const FILES: Record<string, string> = {
  'lapsus-probe.tgz': 'application/gzip',
  'lapsus-cli.tgz': 'application/gzip',
  'lapsus-probe.js': 'text/javascript; charset=utf-8',
  'probe.js': 'text/javascript; charset=utf-8',
  'lapsus.h': 'text/plain; charset=utf-8',
  'Lapsus.cs': 'text/plain; charset=utf-8',
  'lapsus.lua': 'text/plain; charset=utf-8',
  'lapsus.py': 'text/plain; charset=utf-8',
}

/** The probe, the command line and the emitters for other languages. */
export function handOut(folder: string): Middleware {
  const files = serve(folder, { maxage: 0 })
  return async (context, next) => {
    const name = context.path.startsWith(HAND_OUT_PATH) ? context.path.slice(HAND_OUT_PATH.length) : ''
    if (!Object.hasOwn(FILES, name)) return next()
    // A game's page is of another origin.
    context.set('Cross-Origin-Resource-Policy', 'cross-origin')
    context.set('Access-Control-Allow-Origin', '*')
    context.path = `/${name}`
    await files(context, async () => {})
    context.type = FILES[name]!
  }
}
