import type { ConnectionConfig } from 'mariadb'
import { Sequelize, type Options } from 'sequelize'
import { wordsOf } from '../log.ts'
import { databaseAddress, shownAddress, type DatabaseAddress } from '@lapsus/api'
import { driver } from './driver.ts'
import { Nodes } from './nodes.ts'

/** The largest command that is sent: what rows hold is split to keep below it (docs/decisions/013). */
const LEAST_PACKET_BYTES = 16 * 1024 * 1024
const CONNECT_TIMEOUT_MS = 5_000
/** A command that hears nothing for so long will not hear any more: its connection was lost on the way. */
const SILENCE_TIMEOUT_MS = 120_000

/** A database that cannot be used, in words for whoever starts the server. */
export class UnusableDatabase extends Error {}

/** @throws UnusableDatabase */
export async function connect(url: string): Promise<Sequelize> {
  const sequelize = open(url, { pool: { max: 8, min: 0, idle: 10_000 } })
  const [[row]] = (await sequelize.query('SELECT @@max_allowed_packet AS packet').catch((error: Error) => {
    throw new UnusableDatabase(
      `the database at ${shownAddress(addressOf(url))} cannot be used: ${wordsOf(error)}`,
      {
        cause: error,
      },
    )
  })) as [[{ packet: number | bigint }], unknown]
  if (Number(row.packet) < LEAST_PACKET_BYTES) {
    throw new UnusableDatabase(
      `the database at ${shownAddress(addressOf(url))} takes commands of ${row.packet} bytes: max_allowed_packet must be at least ${LEAST_PACKET_BYTES}`,
    )
  }
  return sequelize
}

/** @param url mariadb:// or mysql:// address, of one host or of several */
export function open(url: string, options: Options = {}): Sequelize {
  const address = addressOf(url)
  const nodes = new Nodes(address)
  return new Sequelize(address.database, address.user, address.password, {
    dialect: 'mariadb',
    dialectModule: { ...driver, createConnection: (config: ConnectionConfig) => nodes.connect(config) },
    dialectOptions: { connectTimeout: CONNECT_TIMEOUT_MS, socketTimeout: SILENCE_TIMEOUT_MS },
    logging: false,
    timezone: '+00:00',
    define: { timestamps: false, underscored: true },
    ...options,
  })
}

/** Settings are checked where they are read. */
function addressOf(url: string): DatabaseAddress {
  const address = databaseAddress(url)
  if (address === null) throw new Error('that is no address of a database')
  return address
}
