/** MariaDB's driver as Sequelize 6 expects it, with values that are bytes kept out of the SQL text. */
import mariadb, { type Connection, type ConnectionConfig } from 'mariadb'
import { failureKind } from './failure.ts'

interface Rows extends Array<unknown> {
  meta?: unknown
}

/**
 * Sequelize deletes `meta` from the rows of a result, which the driver does not allow any more: it gets a copy on
 * which it may.
 */
function loosened(result: unknown): unknown {
  if (!Array.isArray(result)) return result
  const rows: Rows = [...(result as unknown[])]
  const { meta } = result as Rows
  Object.defineProperty(rows, 'meta', { value: meta, configurable: true, writable: true, enumerable: false })
  return rows
}

const isBinary = (value: unknown): boolean => value instanceof Uint8Array

/** Tries of one command that is in another's way. */
const MOST_TRIES = 8
const PAUSE_MS = 15

/**
 * Bytes go as parameters of a prepared statement, in the binary protocol: they are never quoted, and so can never
 * be read as SQL. A command that is a transaction by itself is tried again where another was in its way.
 */
export async function createConnection(options: ConnectionConfig): Promise<Connection> {
  const connection = await mariadb.createConnection(options)
  const query = connection.query.bind(connection) as (sql: string, values?: unknown) => Promise<unknown>
  let inTransaction = false
  connection.query = (async (sql: string, values?: unknown) => {
    if (/^START TRANSACTION/.test(sql)) inTransaction = true
    else if (/^(COMMIT|ROLLBACK)/.test(sql)) inTransaction = false
    const binary = Array.isArray(values) && values.some(isBinary)
    const run = () => (binary ? connection.execute(sql, values) : query(sql, values))
    return loosened(await (inTransaction ? run() : triedAgain(run)))
  }) as Connection['query']
  return connection
}

/** Does it again, a little later each time, while what it does conflicts with what others do. */
export async function triedAgain<T>(work: () => Promise<T>): Promise<T> {
  for (let tries = 1; ; tries++) {
    try {
      return await work()
    } catch (error) {
      if (tries >= MOST_TRIES || failureKind(error) !== 'conflict') throw error
      await new Promise((resolve) => setTimeout(resolve, PAUSE_MS * tries * (0.5 + Math.random())))
    }
  }
}

export const driver = { ...mariadb, createConnection }
