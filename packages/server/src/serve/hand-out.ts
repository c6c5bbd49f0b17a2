import serve from 'koa-static'
import { notFound } from '../problem-error.ts'
import { handlers } from './routes/mount.ts'

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

/**
 * The probe, the command line and the emitters for other languages.
 * @param folder null where there are none
 */
export function handOutRoutes(folder: string | null) {
  const files = folder === null ? null : serve(folder, { maxage: 0 })
  return handlers({
    'GET /get/:file': async (context) => {
      const name = context['params'].file as string
      if (files === null || !Object.hasOwn(FILES, name)) throw notFound(`file ${name.slice(0, 100)}`, 'file')
      // A game's page is of another origin.
      context.set('Cross-Origin-Resource-Policy', 'cross-origin')
      context.set('Access-Control-Allow-Origin', '*')
      context.path = `/${name}`
      await files(context, async () => {})
      context.type = FILES[name]!
    },
  })
}
