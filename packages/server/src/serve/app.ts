import type { ServerResponse } from 'node:http'
import Koa from 'koa'
import serve from 'koa-static'
import type { Logger } from 'pino'
import type { Access } from '../access/access.ts'
import type { ServerConfig } from '../config.ts'
import type { DatabaseHealth } from '../store/health.ts'
import type { Store } from '../store/store.ts'
import { ProblemError } from '../problem-error.ts'
import type { Spool } from '../ingest/spool.ts'
import type { Recordings } from '../recordings/recordings.ts'
import { Bodies } from './bodies.ts'
import { Admission } from './admission.ts'
import { gamePageRoutes } from './game-page.ts'
import { guarded, type Guard } from './guard.ts'
import { handOutRoutes } from './hand-out.ts'
import { securityHeaders } from './headers.ts'
import { problemHandler } from './error-answers.ts'
import { fileRoutes } from './routes/file-routes.ts'
import { compareRoutes } from './routes/compare-routes.ts'
import { gameRoutes } from './routes/game-routes.ts'
import { healthRoutes } from './routes/health-routes.ts'
import { ingestRoutes } from './routes/ingest-routes.ts'
import { Jobs } from './jobs.ts'
import { jobRoutes } from './routes/job-routes.ts'
import { leftRoutes } from './routes/left-routes.ts'
import { loadRoutes } from './routes/load-routes.ts'
import { liveRoutes } from './routes/live-routes.ts'
import { questionRoutes } from './routes/question-routes.ts'
import { otlpRoutes } from './routes/otlp-routes.ts'
import { planRoutes } from './routes/plan-routes.ts'
import { recordingRoutes } from './routes/recording-routes.ts'
import { reportRoutes } from './routes/report-routes.ts'
import { sessionRoutes } from './routes/session-routes.ts'
import { storageRoutes } from './routes/storage-routes.ts'
import { isLikeARoute, mounted, type Handler } from './routes/mount.ts'
import type { RouteName } from './routes/table.ts'
import { takeRoutes } from './routes/take-routes.ts'
import type { Load } from './load.ts'
import type { Pool } from './pool/pool.ts'

export interface AppParts {
  config: ServerConfig
  store: Store
  pool: Pool
  load: Load
  health: DatabaseHealth
  guard: Guard
  access: Access
  recordings: Recordings
  /** What games leave; null where nobody looks, or not yet. */
  spool: () => Spool | null
  log: Logger
}

const METHODS = ['GET', 'HEAD', 'POST', 'PUT', 'PATCH', 'DELETE', 'OPTIONS']

/** A list of takes is on the screen by then. */
const LIST_DRAWN_MS = 1_500

export function createApp({
  config,
  store,
  pool,
  load,
  health,
  guard,
  access,
  recordings,
  spool,
  log,
}: AppParts): Koa {
  const app = new Koa({ proxy: config.behindProxy })
  // What fails after the answer has begun: mostly a client that hung up.
  app.on('error', (error: Error) => log.debug({ error: error.message }, 'answer broke off'))
  app.use(securityHeaders)
  app.use(problemHandler(log))
  app.use(guarded(guard))
  app.use(async (context, next) => {
    if (!METHODS.includes(context.method)) {
      context.set('Allow', METHODS.join(', '))
      throw new ProblemError(405, `there is no method ${context.method.slice(0, 20)} here`)
    }
    await next()
  })
  // Whoever lists takes will look at one, but is to see the list first: a thread that begins takes a core from it.
  app.use((context, next) => {
    if (context.path.startsWith('/api/takes/')) pool.wake('questions')
    else if (context.path === '/api/takes') pool.wakeLater('questions', LIST_DRAWN_MS)
    return next()
  })

  const jobs = new Jobs(!config.behindProxy)
  const listed = {
    ...healthRoutes(health),
    ...sessionRoutes(access),
    ...takeRoutes(store),
    ...fileRoutes(store, pool, jobs),
    ...liveRoutes(store, recordings),
    ...compareRoutes(store, pool, jobs),
    ...gameRoutes(store, pool),
    ...reportRoutes(store, pool, jobs),
    ...planRoutes(store),
    ...recordingRoutes(recordings),
    ...storageRoutes(store, config.retention),
    ...loadRoutes(load),
    ...otlpRoutes(pool),
    ...ingestRoutes(pool),
    ...leftRoutes(spool),
    ...jobRoutes(jobs),
    ...handOutRoutes(config.packages),
    ...gamePageRoutes(config.gamePage),
  } satisfies Record<RouteName, Handler>
  const router = mounted(
    { ...listed, ...questionRoutes(store, pool) },
    { health, admission: new Admission(access), bodies: new Bodies() },
  )
  app.use(router.routes())
  app.use(router.allowedMethods({ throw: true }))
  app.use(async (context, next) => {
    // The address is one, the method is not its.
    if ((context['matched'] as unknown[] | undefined)?.length) return
    if (isLikeARoute(context.path))
      throw new ProblemError(404, `there is nothing at ${context.path.slice(0, 200)}`)
    await next()
  })
  if (config.webFolder !== null) {
    app.use(async (context, next) => {
      // Every address without a file of its own is a view of the one page.
      if (context.method === 'GET' && !/\.\w+$/.test(context.path)) context.path = '/index.html'
      await next()
    })
    const setHeaders = (response: ServerResponse, path: string) => {
      // Their names change with what is in them.
      if (path.includes('/assets/'))
        response.setHeader('Cache-Control', 'public, max-age=31536000, immutable')
    }
    app.use(serve(config.webFolder, { maxage: 0, setHeaders }))
  }
  return app
}
