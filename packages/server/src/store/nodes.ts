/** Connections to whichever node of a database works. */
import { BroadcastChannel } from 'node:worker_threads'
import type { Connection, ConnectionConfig } from 'mariadb'
import { createConnection } from './driver.ts'
import { shownAddress, type DatabaseAddress, type DatabaseNode } from './database-address.ts'

/** A node of several that does not answer for so long is passed over. */
const NODE_TIMEOUT_MS = 1_000
/**
 * What another node has committed is seen by whatever comes after it: a game that is sent from a dead node to another
 * reads its own last record there. Galera's variable; MariaDB without it knows it, too.
 */
const READ_ALL_COMMITTED = 'SET SESSION wsrep_sync_wait = 7'

export class Nodes {
  readonly #address: DatabaseAddress
  #at = 0
  readonly #open = new Map<DatabaseNode, Set<Connection>>()
  /** Threads of one process tell each other which node is silent; null where there is only one. */
  readonly #news: BroadcastChannel | null

  constructor(address: DatabaseAddress) {
    this.#address = address
    this.#news = address.nodes.length > 1 ? new BroadcastChannel(`nodes of ${shownAddress(address)}`) : null
    if (this.#news === null) return
    this.#news.onmessage = (event) => this.#giveUp(this.#address.nodes[(event as { data: number }).data]!)
    this.#news.unref()
  }

  get several(): boolean {
    return this.#news !== null
  }

  /** The one that is used now. */
  get current(): DatabaseNode {
    return this.#address.nodes[this.#at]!
  }

  /** To the current node, or to the next that answers. @throws what the last of them said */
  async connect(options: ConnectionConfig, seesAll = this.several): Promise<Connection> {
    const { nodes } = this.#address
    let failure: unknown = null
    for (let tried = 0; tried < nodes.length; tried++) {
      const node = this.current
      try {
        return await this.#connectTo(node, options, seesAll)
      } catch (error) {
        failure = error
        // Another may have found it out meanwhile.
        if (node === this.current) this.#at = (this.#at + 1) % nodes.length
      }
    }
    throw failure
  }

  /** A node does not answer: whoever waits for it waits no more, in all threads, and the next one is used. */
  leave(node: DatabaseNode): void {
    this.#giveUp(node)
    this.#news?.postMessage(this.#address.nodes.indexOf(node))
  }

  async #connectTo(node: DatabaseNode, options: ConnectionConfig, seesAll: boolean): Promise<Connection> {
    const { user, password, database } = this.#address
    const { connectTimeout } = options
    const connection = await createConnection({
      ...options,
      ...{ user, password, database, host: node.host, port: node.port },
      ...(this.several
        ? { connectTimeout: NODE_TIMEOUT_MS }
        : connectTimeout === undefined
          ? {}
          : { connectTimeout }),
    })
    const open = this.#open.get(node) ?? new Set()
    this.#open.set(node, open.add(connection))
    connection.on('end', () => open.delete(connection))
    connection.on('error', () => open.delete(connection))
    try {
      // A node that has lost the others takes connections, and answers nothing.
      if (this.several) await connection.query(seesAll ? READ_ALL_COMMITTED : 'SELECT 1')
      if (seesAll) await connection.query('SELECT 1')
      return connection
    } catch (error) {
      open.delete(connection)
      connection.destroy()
      throw error
    }
  }

  #giveUp(node: DatabaseNode): void {
    if (node === this.current) this.#at = (this.#at + 1) % this.#address.nodes.length
    const open = this.#open.get(node)
    this.#open.delete(node)
    for (const connection of open ?? []) connection.destroy()
  }
}
