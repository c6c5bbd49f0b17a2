import { bodyParser } from '@koa/bodyparser'
import Router from '@koa/router'
import Koa from 'koa'
import helmet from 'koa-helmet'
import serve from 'koa-static'
import type { Logger } from 'pino'
import type { Sequelize } from 'sequelize'
import type { ServerConfig } from '../config.ts'
import type { OtlpStreams } from '../otlp/streams.ts'
import type { Recordings } from '../recordings/recordings.ts'
import { gamePage } from './game-page.ts'
import { guard } from './guard.ts'
import { ProblemError } from '../problem-error.ts'
import { problemHandler } from './problems.ts'
import { OTLP_PATH, otlpRoutes } from './routes/otlp.ts'
import { planRoutes } from './routes/plans.ts'
import { recordingRoutes } from './routes/recordings.ts'
import { takeRoutes } from './routes/takes.ts'

export function createApp(
  config: ServerConfig,
  database: Sequelize,
  recordings: Recordings,
  otlp: OtlpStreams,
  log: Logger,
): Koa {
  const app = new Koa()
  app.use(problemHandler(log))
  app.use(guard(config.extraOrigins))
  // Upgrading to https would break the plain address on loopback.
  app.use(
    helmet({
      contentSecurityPolicy: { directives: { upgradeInsecureRequests: null } },
      strictTransportSecurity: false,
    }),
  )
  const parseBody = bodyParser({ enableTypes: ['json'], jsonLimit: '1mb' })
  // Traces are read by their own route, in either encoding.
  app.use((context, next) => (context.path === OTLP_PATH ? next() : parseBody(context, next)))

  const health = new Router()
  health.get('/health', async (context) => {
    await database.authenticate()
    context.body = { status: 'ok' }
  })
  for (const router of [
    health,
    takeRoutes(database, recordings),
    planRoutes(),
    recordingRoutes(recordings),
    otlpRoutes(otlp),
  ]) {
    app.use(router.routes())
    app.use(router.allowedMethods({ throw: true }))
  }
  app.use(async (context, next) => {
    if (context.path.startsWith('/api/')) throw new ProblemError(404, `there is nothing at ${context.path}`)
    await next()
  })
  if (config.gamePage !== null) app.use(gamePage(config.gamePage))
  if (config.webFolder !== null) {
    app.use(async (context, next) => {
      // Every address without a file of its own is a view of the one page.
      if (context.method === 'GET' && !/\.\w+$/.test(context.path)) context.path = '/index.html'
      await next()
    })
    app.use(serve(config.webFolder, { maxage: 0 }))
  }
  return app
}
