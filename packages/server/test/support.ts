/** A real server on a real MariaDB, for tests. */
import { connect, createServer, type AddressInfo, type Socket } from 'node:net'
import { WebSocket } from 'ws'
import { pino } from 'pino'
import { encodeRecord, type AnyRecord, type IngestMessage } from '@lapsus/core/format'
import { weeksOfTakes } from '../../core/test/support/weeks.ts'
import { open as openDatabase } from '../src/store/connection.ts'
import { startServer, type RunningServer, type ServerConfig } from '../src/index.ts'

let schemas = 0

/** An empty database of its own on the test instance. */
export async function freshDatabase(): Promise<string> {
  const base = process.env['TEST_DATABASE_URL']
  if (!base)
    throw new Error(
      'TEST_DATABASE_URL is missing: run the tests with npm test, or node scripts/with-database.mjs',
    )
  const name = `lapsus_${process.pid}_${schemas++}`
  const admin = openDatabase(base)
  await admin.query(`CREATE DATABASE ${name}`)
  await admin.close()
  return base.replace(/\/lapsus$/, `/${name}`)
}

/**
 * A way to a database on which every piece takes so many ms, in either direction; all are held while it is null.
 * @param asked what becomes of a piece on its way to the database
 * @returns the address to use instead
 */
export async function detourTo(
  url: string,
  delayMs: () => number | null,
  asked: (piece: Buffer) => Buffer = (piece) => piece,
): Promise<{ url: string; stop(): Promise<void> }> {
  const { hostname, port } = new URL(url)
  const sockets = new Set<Socket>()
  const pass = (piece: Buffer, from: Socket, to: Socket): void => {
    const wait = delayMs()
    if (wait === null) {
      from.pause()
      setTimeout(() => pass(piece, from, to), 20)
      return
    }
    setTimeout(() => to.writable && to.write(piece), wait)
    from.resume()
  }
  const server = createServer((client) => {
    const database = connect(Number(port), hostname)
    for (const [from, to] of [
      [client, database],
      [database, client],
    ] as const) {
      sockets.add(from)
      from.on('error', () => {})
      from.on('close', () => to.destroy())
      from.on('data', (piece) => pass(from === client ? asked(piece) : piece, from, to))
    }
  })
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  return {
    url: url.replace(`${hostname}:${port}`, `127.0.0.1:${(server.address() as AddressInfo).port}`),
    stop: async () => {
      for (const socket of sockets) socket.destroy()
      await new Promise((resolve) => server.close(resolve))
    },
  }
}

/** @param log where it writes its log; nowhere if not given */
export async function testServer(
  config: Partial<ServerConfig> = {},
  log = pino({ level: process.env['LOG_LEVEL'] ?? 'silent' }),
): Promise<RunningServer> {
  const databaseUrl = config.databaseUrl ?? (await freshDatabase())
  return startServer(
    {
      databaseFolder: null,
      host: '127.0.0.1',
      port: 0,
      access: null,
      names: [],
      behindProxy: false,
      retention: { days: null, bytes: null },
      logFile: null,
      webFolder: null,
      demoGame: '',
      gamePage: null,
      packages: null,
      spool: null,
      extraOrigins: [],
      logLevel: 'silent',
      ...config,
      databaseUrl,
    },
    log,
  )
}

/** Puts takes of several versions of a game into a server (core/test/support/weeks). */
export async function importWeeks(server: RunningServer): Promise<void> {
  for (const take of weeksOfTakes())
    await fetch(`${server.address}/api/imports`, { method: 'POST', body: take as BodyInit })
}

/** Sends records as a probe would, and hears what the server says. */
export class TestGame {
  readonly messages: IngestMessage[] = []
  closeCode: number | null = null
  readonly #socket: WebSocket

  private constructor(socket: WebSocket) {
    this.#socket = socket
    socket.on('message', (data) => this.messages.push(JSON.parse(String(data)) as IngestMessage))
    socket.on('close', (code) => (this.closeCode = code))
    socket.on('error', () => {})
  }

  /** @param protocol none for a game that speaks the first version */
  static async connect(
    server: RunningServer,
    headers: Record<string, string> = {},
    protocol: string[] | string = [],
  ): Promise<TestGame> {
    const socket = new WebSocket(`${server.address.replace('http', 'ws')}/ingest`, protocol, { headers })
    const game = new TestGame(socket)
    await new Promise<void>((resolve, reject) => {
      socket.once('open', resolve)
      socket.once('error', reject)
    })
    return game
  }

  send(record: AnyRecord | Uint8Array): void {
    this.#socket.send(record instanceof Uint8Array ? record : encodeRecord(record))
  }

  get acknowledged(): number {
    return Math.max(-1, ...this.messages.map((message) => ('ack' in message ? message.ack : -1)))
  }

  async untilAcknowledged(sequence: number): Promise<void> {
    await until(() => this.acknowledged >= sequence, `record ${sequence} is acknowledged`)
  }

  async untilClosed(): Promise<void> {
    await until(() => this.closeCode !== null, 'the server hangs up')
  }

  /** Breaks the connection without a word. */
  vanish(): void {
    this.#socket.terminate()
  }
}

export async function until(test: () => boolean | Promise<boolean>, what: string): Promise<void> {
  // Far more than anything takes, on a machine that does other things as well.
  const deadline = Date.now() + 90_000
  while (!(await test())) {
    if (Date.now() > deadline) throw new Error(`never happened: ${what}`)
    await new Promise((resolve) => setTimeout(resolve, 10))
  }
}

export async function getJson<T>(server: RunningServer, path: string): Promise<T> {
  const response = await fetch(server.address + path)
  if (!response.ok) throw new Error(`${response.status} ${await response.text()}`)
  return (await response.json()) as T
}
