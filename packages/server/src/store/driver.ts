/** MariaDB's driver as Sequelize 6 expects it, with values that are bytes kept out of the SQL text. */
import mariadb, { type Connection, type ConnectionConfig } from 'mariadb'

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

/**
 * Bytes go as parameters of a prepared statement, in the binary protocol: they are never quoted, and so can never
 * be read as SQL.
 */
export async function createConnection(options: ConnectionConfig): Promise<Connection> {
  const connection = await mariadb.createConnection(options)
  const query = connection.query.bind(connection) as (sql: string, values?: unknown) => Promise<unknown>
  connection.query = (async (sql: string, values?: unknown) => {
    const binary = Array.isArray(values) && values.some(isBinary)
    return loosened(await (binary ? connection.execute(sql, values) : query(sql, values)))
  }) as Connection['query']
  return connection
}

export const driver = { ...mariadb, createConnection }
