import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import type { Logger } from 'pino'
import type { Sequelize } from 'sequelize'
import { atIntervals } from './at-intervals.ts'
import { Access } from './access/access.ts'
import type { ServerConfig } from './config.ts'
import { WrongSetting } from './config.ts'
import { connect, UnusableDatabase } from './store/connection.ts'
import { failureKind } from './store/failure.ts'
import { DatabaseHealth } from './store/health.ts'
import { Leases } from './store/lease.ts'
import { migrate } from './store/migrate.ts'
import { storeOf, type Store } from './store/store.ts'
import { Diagnoses } from './serve/answers/diagnoses.ts'
import { MOST_READ_AHEAD } from './serve/answers/studies.ts'
import { createApp } from './serve/app.ts'
import { keepRoom } from './serve/crowd.ts'
import { Load } from './serve/load.ts'
import { Pool } from './serve/pool/pool.ts'
import { Guard } from './serve/guard.ts'
import { acceptStreams } from './serve/upgrade.ts'
import { abandonedTakes } from './ingest/finish.ts'
import { Spool } from './ingest/spool.ts'
import { IngestStreams, type KeepsRecordings } from './ingest/streams.ts'
import { TraceWatch } from './ingest/otlp/watch.ts'
import { applyRetention } from './serve/queries/retention.ts'
import { purgeDeleted } from './serve/queries/takes.ts'
import { Recordings } from './recordings/recordings.ts'

const SWEEP_EVERY_MS = 5_000
const RETENTION_EVERY_MS = 10 * 60_000
/** A database that is being started again may take so long. */
const DATABASE_PATIENCE_MS = 10_000
const DATABASE_AGAIN_MS = 500
const CLOSE_PATIENCE_MS = 2_000
/** What is recorded is read meanwhile, so that it can be asked about as soon as it has ended. */
const READ_AHEAD_EVERY_MS = 1_000

export interface RunningServer {
  address: string
  /** Its tables, on its own connections. */
  store: Store
  pool: Pool
  /** Ends recordings, commits what was received, closes connections. */
  stop(): Promise<void>
}

/** @throws WrongSetting or UnusableDatabase, in words for whoever starts it */
export async function startServer(config: ServerConfig, log: Logger): Promise<RunningServer> {
  const database = await connectInTime(config.databaseUrl, log)
  const leases = new Leases(database)
  await leases.prepare()
  // Any number of servers may start at once.
  const migrated = await leases.alone('migrations', () => migrate(database))
  if (migrated.length > 0) log.info({ migrated }, 'database brought up to date')
  const store = storeOf(database)
  const pool = new Pool(config.databaseUrl, store, log)
  const load = new Load(pool)
  const health = new DatabaseHealth(config.databaseUrl, config.databaseFolder, log)
  health.start()

  const diagnoses = new Diagnoses((take) => pool.run('diagnose', { take }), log)
  const noLonger = store.closedTakes.add((takeId) => diagnoses.soon(takeId))
  const access = await Access.open(store, config.access)
  const guard = new Guard(config)
  const recordings = new Recordings(store, config.demoGame, access.ownKey, log)
  const record: KeepsRecordings = (ask) => pool.run('record', ask, [ask.port])
  const streams = new IngestStreams(record, health, log)
  const traces = new TraceWatch(
    store,
    (instanceHash, port) => pool.run('assemble', { instanceHash, port }, [port]),
    log,
  )
  let spool: Spool | null = null
  const http = createServer(
    createApp({
      config,
      store,
      pool,
      load,
      health,
      guard,
      access,
      recordings,
      spool: () => spool,
      log,
    }).callback(),
  )
  // A client that closes its half after its request (RFC 9112, 9.6) waits for the answer; Node would hang up on it.
  Object.assign(http, { httpAllowHalfOpen: true })
  keepRoom(http)
  const sockets = acceptStreams(http, streams, guard, access, config.behindProxy, log)
  await listen(http, config)
  const { port } = http.address() as AddressInfo
  // Games that this server starts run on this machine, but the server may listen elsewhere only.
  const host = ['0.0.0.0', '::'].includes(config.host) ? '127.0.0.1' : config.host
  const shown = host.includes(':') ? `[${host}]` : host
  recordings.address = `ws://${shown}:${port}`

  const sweeps = [
    regularly(SWEEP_EVERY_MS, health, async () => {
      for (const { take, state } of await abandonedTakes(store)) {
        await pool.run('close', { take, state })
        if (state === 'cut-short') log.info({ take }, 'a game vanished; its take is closed as cut short')
      }
    }),
    regularly(RETENTION_EVERY_MS, health, () => tidy(store, config, log)),
    // Whoever records will look at it, and at once.
    regularly(READ_AHEAD_EVERY_MS, health, async () => {
      const takes = streams.takes.slice(0, MOST_READ_AHEAD)
      await Promise.allSettled(takes.map((take) => pool.run('readAhead', { take })))
    }),
  ]
  void tidy(store, config, log).catch(() => {})
  if (config.spool !== null) {
    const left = new Spool(
      config.spool,
      port,
      (key, game) => access.admits(key, game),
      (ask) => pool.run('spool', ask),
    )
    spool = left
    recordings.takeUpLeft = (take) => left.takeUpOf(take)
    const takeUp = async (isStart: boolean) => {
      const spooled = await left.takeUp(isStart)
      if (spooled > 0) log.info({ spooled }, 'recordings that games had left are taken up')
    }
    // There may be much of it: whoever starts a server does not wait for that.
    void takeUp(true).catch((error: unknown) => log.error({ err: error }, 'spool files wait'))
    sweeps.push(regularly(SWEEP_EVERY_MS, health, () => takeUp(false)))
  }

  const address = `http://${shown}:${port}`
  log.info({ address }, 'listening')
  return {
    address,
    store,
    pool,
    async stop() {
      load.stop()
      sweeps.forEach(clearInterval)
      await recordings.stopAll()
      await streams.stop()
      await traces.stop()
      sockets.close()
      await new Promise((resolve) => {
        http.close(resolve)
        http.closeIdleConnections()
        setTimeout(() => http.closeAllConnections(), CLOSE_PATIENCE_MS).unref()
      })
      noLonger()
      await diagnoses.stop()
      await pool.stop()
      await health.stop()
      await database.close()
      log.info('stopped')
    },
  }
}

/** The database may be starting still. */
async function connectInTime(url: string, log: Logger): Promise<Sequelize> {
  const deadline = Date.now() + DATABASE_PATIENCE_MS
  for (;;) {
    try {
      return await connect(url)
    } catch (error) {
      const isAway = error instanceof UnusableDatabase && failureKind(error.cause) === 'away'
      if (!isAway || Date.now() > deadline) throw error
      log.warn({ error: error.message }, 'waiting for the database')
      await new Promise((resolve) => setTimeout(resolve, DATABASE_AGAIN_MS))
    }
  }
}

/** Does `work` at intervals while the database answers. */
const regularly = (everyMs: number, health: DatabaseHealth, work: () => Promise<void>) =>
  atIntervals(everyMs, async () => {
    if (health.now.status !== 'away') await work()
  })

/** Removes what has been deleted long ago, and what retention lets go. */
async function tidy(store: Store, config: ServerConfig, log: Logger): Promise<void> {
  const purged = await purgeDeleted(store)
  if (purged > 0) log.info({ purged }, 'takes deleted long ago are gone for good')
  const takes = await applyRetention(store, config.retention)
  if (takes.length > 0) log.info({ takes: takes.slice(0, 20), count: takes.length }, 'takes left by rule')
}

function listen(http: Server, { host, port }: ServerConfig): Promise<void> {
  return new Promise((resolve, reject) => {
    http.once('error', (error) =>
      reject(new WrongSetting(`cannot listen on ${host}, port ${port}: ${error.message}`)),
    )
    http.listen({ host, port }, () => {
      http.removeAllListeners('error')
      http.on('error', () => {})
      resolve()
    })
  })
}
