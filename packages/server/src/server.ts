import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { INGEST_PATH, LIMITS } from '@lapsus/core/format'
import type { Logger } from 'pino'
import { WebSocketServer } from 'ws'
import type { ServerConfig } from './config.ts'
import { connect } from './database/connection.ts'
import { migrate } from './database/migrate.ts'
import { createApp } from './http/app.ts'
import { mayStream } from './http/guard.ts'
import { Diagnoses } from './diagnosis/diagnoses.ts'
import { closeAbandoned, whenTakeFinishes } from './ingest/finish.ts'
import { IngestStreams } from './ingest/stream.ts'
import { OtlpStreams } from './otlp/streams.ts'
import { purgeDeleted } from './queries/takes.ts'
import { Recordings } from './recordings/recordings.ts'

const SWEEP_EVERY_MS = 5_000

export interface RunningServer {
  address: string
  /** Ends recordings, commits what was received, closes connections. */
  stop(): Promise<void>
}

export async function startServer(config: ServerConfig, log: Logger): Promise<RunningServer> {
  const database = await connect(config.databaseUrl)
  const migrated = await migrate(database)
  if (migrated.length > 0) log.info({ migrated }, 'database brought up to date')
  const purged = await purgeDeleted()
  if (purged > 0) log.info({ purged }, 'takes deleted long ago are gone for good')

  const diagnoses = new Diagnoses(log)
  const noLonger = whenTakeFinishes((takeId) => diagnoses.soon(takeId))
  const recordings = new Recordings(config.demoGame, log)
  const streams = new IngestStreams(database, log)
  const otlp = new OtlpStreams(database, log)
  const http = createServer(createApp(config, database, recordings, otlp, log).callback())
  const sockets = new WebSocketServer({
    noServer: true,
    // A little more than a record may have, so that one that is too large is refused in words.
    maxPayload: LIMITS.recordBytes + 2 ** 20,
    perMessageDeflate: false,
  })
  http.on('upgrade', (request, socket, head) => {
    const path = new URL(request.url ?? '/', 'http://localhost').pathname
    if (path !== INGEST_PATH || !mayStream(request)) {
      socket.end(
        `HTTP/1.1 ${path === INGEST_PATH ? '403 Forbidden' : '404 Not Found'}\r\nConnection: close\r\n\r\n`,
      )
      return
    }
    sockets.handleUpgrade(request, socket, head, (webSocket) => streams.accept(webSocket))
  })
  await listen(http, config)
  const { port } = http.address() as AddressInfo
  recordings.address = `ws://127.0.0.1:${port}`

  const sweep = setInterval(() => {
    closeAbandoned()
      .then((takes) => takes.length > 0 && log.info({ takes }, 'games vanished; takes closed as cut short'))
      .catch((error) => log.error(error, 'sweep failed'))
  }, SWEEP_EVERY_MS)

  const address = `http://127.0.0.1:${port}`
  log.info({ address }, 'listening')
  return {
    address,
    async stop() {
      clearInterval(sweep)
      await recordings.stopAll()
      await streams.stop()
      await otlp.stop()
      sockets.close()
      await new Promise((resolve) => {
        http.close(resolve)
        http.closeIdleConnections()
        setTimeout(() => http.closeAllConnections(), 2_000).unref()
      })
      noLonger()
      await diagnoses.stop()
      await database.close()
      log.info('stopped')
    },
  }
}

function listen(http: Server, { host, port }: ServerConfig): Promise<void> {
  return new Promise((resolve, reject) => {
    http.once('error', reject)
    http.listen({ host, port }, resolve)
  })
}
