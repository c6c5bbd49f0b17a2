/**
 * What only one of several servers does at a time. Whoever holds the lease does it; it lets go when it is done, and
 * when it dies the lease runs out. MariaDB's own locks (GET_LOCK) are not seen by the other nodes of a cluster.
 */
import { randomUUID } from 'node:crypto'
import { QueryTypes, type Sequelize } from 'sequelize'

/** A lease that is not renewed is free for others after so long, s. */
const LEASE_S = 15
const RENEW_MS = 5_000
const AGAIN_MS = 200

/** Not a migration: migrations themselves take a lease. */
const TABLE = `CREATE TABLE IF NOT EXISTS leases (
  name VARCHAR(191) NOT NULL PRIMARY KEY,
  owner CHAR(36) NOT NULL,
  until DATETIME(3) NOT NULL
) ENGINE = InnoDB`

export class Leases {
  readonly #database: Sequelize
  readonly #owner = randomUUID()

  constructor(database: Sequelize) {
    this.#database = database
  }

  /** To be called once before all else. */
  async prepare(): Promise<void> {
    await this.#database.query(TABLE)
  }

  /** Takes the lease, or renews it. @returns whether it is held now */
  async take(name: string): Promise<boolean> {
    const own = { name, owner: this.#owner }
    await this.#run('INSERT IGNORE INTO leases (name, owner, until) VALUES (:name, :owner, NOW(3))', own)
    const taken = await this.#run(
      `UPDATE leases SET owner = :owner, until = NOW(3) + INTERVAL ${LEASE_S} SECOND
       WHERE name = :name AND (owner = :owner OR until <= NOW(3))`,
      own,
    )
    return taken === 1
  }

  async letGo(name: string): Promise<void> {
    await this.#run('DELETE FROM leases WHERE name = :name AND owner = :owner', { name, owner: this.#owner })
  }

  /** Does `work` alone among all servers, after whoever is at it now. */
  async alone<T>(name: string, work: () => Promise<T>): Promise<T> {
    while (!(await this.take(name))) await new Promise((resolve) => setTimeout(resolve, AGAIN_MS))
    const renewing = setInterval(() => void this.take(name).catch(() => {}), RENEW_MS)
    try {
      return await work()
    } finally {
      clearInterval(renewing)
      await this.letGo(name)
    }
  }

  /** @returns rows that were changed */
  async #run(sql: string, replacements: Record<string, string>): Promise<number> {
    const [, rows] = await this.#database.query(sql, { replacements, type: QueryTypes.UPDATE })
    return rows
  }
}
