/** Whether the database answers, and has room: asked all the time, on a connection of its own. */
import { existsSync } from 'node:fs'
import { statfs } from 'node:fs/promises'
import type { Connection } from 'mariadb'
import type { Logger } from 'pino'
import { databaseAddress } from '@lapsus/api'
import { Nodes } from './nodes.ts'
import { wordsOf } from '../log.ts'

type HealthStatus = 'ok' | 'degraded' | 'away'

export interface Health {
  status: HealthStatus
  /** In words; null when all is well. */
  reason: string | null
}

const ASK_EVERY_MS = 300
/** Whoever asks how things are hears within a second. */
const ANSWER_WITHIN_MS = 850
/** On a busy machine a database that is well may be slow: only after so long are requests turned away. */
const PATIENCE_MS = 2_000
/** After a long computation in this process an answer may be there that nobody has read yet. */
const GRACE_MS = 50
/** Less room than this and nothing is stored any more: MariaDB itself must never run out of it. */
export const LEAST_ROOM_BYTES = 64 * 1024 * 1024
/** A failed write is believed for so long, where nobody can tell how much room there is. */
const FULL_FOR_MS = 5_000

const WELL: Health = { status: 'ok', reason: null }
const ALONE: Health = { status: 'away', reason: 'the node of the database has lost its cluster' }
const SILENT: Health = { status: 'away', reason: 'the database does not answer' }

export class DatabaseHealth {
  readonly #nodes: Nodes
  readonly #folder: string | null
  readonly #log: Logger
  #connection: Connection | null = null
  #isInCluster = false
  #asking: Promise<Health> | null = null
  #answers: Health = WELL
  #room: Health = WELL
  #fullUntilMs = 0
  #fullReason = ''
  #timer: ReturnType<typeof setTimeout> | undefined
  #stopped = false
  readonly #listeners = new Set<(reason: string) => void>()

  /**
   * @param url of the database
   * @param folder where it keeps its data, if it is on this machine
   */
  constructor(url: string, folder: string | null, log: Logger) {
    this.#nodes = new Nodes(databaseAddress(url)!)
    this.#folder = folder !== null && existsSync(folder) ? folder : null
    this.#log = log
  }

  start(): void {
    const ask = async () => {
      await this.#askAnew()
      if (!this.#stopped) this.#timer = setTimeout(() => void ask(), ASK_EVERY_MS)
    }
    void ask()
  }

  async stop(): Promise<void> {
    this.#stopped = true
    clearTimeout(this.#timer)
    await this.#asking
    this.#forgetConnection()
  }

  /** As far as known now. */
  get now(): Health {
    if (this.#answers.status === 'away') return this.#answers
    if (this.#room.status !== 'ok') return this.#room
    return Date.now() < this.#fullUntilMs
      ? { status: 'degraded', reason: `nothing can be stored: ${this.#fullReason}` }
      : WELL
  }

  /** Whether recordings may be written. */
  get mayStore(): boolean {
    return this.#answers.status !== 'away' && this.#room.status === 'ok'
  }

  /** A write failed for lack of room. */
  full(reason: string): void {
    this.#fullUntilMs = Date.now() + FULL_FOR_MS
    this.#fullReason = reason
  }

  /** A write succeeded. */
  stored(): void {
    this.#fullUntilMs = 0
  }

  /** Asks anew; resolves within a second, whatever the database does. */
  async check(): Promise<Health> {
    let timer: ReturnType<typeof setTimeout> | undefined
    const silent = () => (this.#answers.status === 'away' ? this.#answers : SILENT)
    const late = new Promise<Health>((resolve) => {
      timer = setTimeout(() => (timer = setTimeout(() => resolve(silent()), GRACE_MS)), ANSWER_WITHIN_MS)
    })
    try {
      return await Promise.race([this.#askAnew(), late])
    } finally {
      clearTimeout(timer)
    }
  }

  async #askAnew(): Promise<Health> {
    // One that is under way may have been answered before what is asked about happened.
    await this.#asking
    this.#asking ??= this.#ask().finally(() => (this.#asking = null))
    return this.#asking
  }

  /**
   * The result of `work`, or a failure as soon as the database is known to be away.
   * @throws what `away` makes of the reason
   */
  async whileItAnswers<T>(work: () => Promise<T>, away: (reason: string) => Error): Promise<T> {
    if (this.#answers.status === 'away') throw away(this.#answers.reason ?? '')
    let listener: (reason: string) => void = () => {}
    const gone = new Promise<never>((_, reject) => {
      listener = (reason) => reject(away(reason))
      this.#listeners.add(listener)
    })
    try {
      return await Promise.race([work(), gone])
    } finally {
      this.#listeners.delete(listener)
    }
  }

  async #ask(): Promise<Health> {
    const before = this.now.status
    this.#answers = await this.#askDatabase()
    this.#room = await this.#askRoom()
    const { status, reason } = this.now
    if (status !== before) this.#log.warn({ status, reason }, 'database')
    if (this.#answers.status === 'away') {
      for (const listener of [...this.#listeners]) listener(this.#answers.reason ?? '')
    }
    return this.now
  }

  async #askDatabase(): Promise<Health> {
    const isOld = this.#connection !== null
    let told = await this.#askNode()
    // An old connection may have been cut while its node is well.
    if (isOld && told !== WELL && told !== SILENT) told = await this.#askNode()
    if (told === WELL || !this.#nodes.several) return told
    this.#log.warn({ node: this.#nodes.current, reason: told.reason }, 'a node of the database is left')
    this.#nodes.leave(this.#nodes.current)
    return this.#askNode()
  }

  /** Of one that is not well the connection is forgotten. */
  async #askNode(): Promise<Health> {
    const asked = inTime(this.#select().then(() => this.#askCluster()))
    const told = await asked.catch((error: Error): Health => ({
      status: 'away',
      reason: `the database cannot be reached: ${wordsOf(error)}`,
    }))
    if (told !== WELL) this.#forgetConnection()
    return told ?? SILENT
  }

  async #select(): Promise<void> {
    if (this.#connection === null) {
      const connection = await this.#nodes.connect({ connectTimeout: PATIENCE_MS }, false)
      connection.on('error', () => this.#forgetConnection())
      if (this.#stopped) connection.destroy()
      this.#connection = connection
      // One without the provider says that it is not ready either.
      const on = (await connection.query("SHOW VARIABLES LIKE 'wsrep_on'")) as unknown as { Value?: string }[]
      this.#isInCluster = on[0]?.Value === 'ON'
    }
    await this.#connection.query('SELECT 1')
  }

  /** A node that has lost its cluster answers some questions still; nothing can be read or stored there. */
  async #askCluster(): Promise<Health> {
    if (!this.#isInCluster) return WELL
    const rows = (await this.#connection?.query("SHOW STATUS LIKE 'wsrep_ready'")) as unknown as
      { Value?: string }[] | undefined
    return rows?.[0]?.Value === 'OFF' ? ALONE : WELL
  }

  async #askRoom(): Promise<Health> {
    if (this.#folder === null) return WELL
    try {
      const { bavail, bsize } = await statfs(this.#folder)
      const free = bavail * bsize
      if (free >= LEAST_ROOM_BYTES) return WELL
      const mb = (bytes: number) => Math.floor(bytes / 2 ** 20)
      return {
        status: 'degraded',
        reason: `the disk is full: ${mb(free)} MB are free where the database is, ${mb(LEAST_ROOM_BYTES)} are needed; recordings wait`,
      }
    } catch (error) {
      return {
        status: 'degraded',
        reason: `the database's folder cannot be read: ${wordsOf(error as Error)}`,
      }
    }
  }

  #forgetConnection(): void {
    this.#connection?.destroy()
    this.#connection = null
  }
}

/** Null when it takes too long. */
async function inTime<T>(work: Promise<T>): Promise<T | null> {
  work.catch(() => {})
  let timer: ReturnType<typeof setTimeout> | undefined
  const late = new Promise<null>((resolve) => {
    timer = setTimeout(() => (timer = setTimeout(() => resolve(null), GRACE_MS)), PATIENCE_MS)
  })
  try {
    return await Promise.race([work, late])
  } finally {
    clearTimeout(timer)
  }
}
