/** MariaDB's driver as Sequelize 6 expects it, with values that are bytes kept out of the SQL text. */
import mariadb, { type Connection, type ConnectionConfig } from 'mariadb'
import { triedAgain } from './tried-again.ts'

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

const BEGINS = /^\s*START TRANSACTION/i
const ENDS = /^\s*(COMMIT|ROLLBACK)\s*;?\s*$/i

/**
 * Bytes go as parameters of a prepared statement, in the binary protocol: they are never quoted, and so can never
 * be read as SQL.
 *
 * A command that is a transaction by itself is tried again where another was in its way. None of a transaction is,
 * its COMMIT least of all: a cluster tells of a conflict there, when it has rolled everything back, and a second COMMIT
 * would commit nothing and say that all is well. Whoever has a transaction does the whole of it again
 * (store/transaction.ts).
 */
export async function createConnection(options: ConnectionConfig): Promise<Connection> {
  const connection = await mariadb.createConnection(options)
  const query = connection.query.bind(connection) as (sql: string, values?: unknown) => Promise<unknown>
  let inTransaction = false
  connection.query = (async (sql: string, values?: unknown) => {
    const binary = Array.isArray(values) && values.some(isBinary)
    const run = () => (binary ? connection.execute(sql, values) : query(sql, values))
    if (BEGINS.test(sql)) inTransaction = true
    const isAlone = !inTransaction
    try {
      return loosened(await (isAlone ? triedAgain(run) : run()))
    } finally {
      if (ENDS.test(sql)) inTransaction = false
    }
  }) as Connection['query']
  return connection
}

export const driver = { ...mariadb, createConnection }
