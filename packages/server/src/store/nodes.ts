/** Connections to whichever node of a database works. */
import { connect, type Socket } from 'node:net'
import { BroadcastChannel } from 'node:worker_threads'
import type { Connection, ConnectionConfig } from 'mariadb'
import { createConnection } from './driver.ts'
import { shownAddress, type DatabaseAddress, type DatabaseNode } from '@lapsus/api'

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
  /** The driver's own way to end a connection asks the node for it, which may hang. */
  readonly #open = new Map<DatabaseNode, Set<Socket>>()
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
    const connection = await createConnection({
      ...options,
      ...{ user, password, database, host: node.host, port: node.port },
      ...(this.several ? { connectTimeout: NODE_TIMEOUT_MS, stream: () => this.#socketTo(node) } : {}),
    })
    // Whoever waits for an answer is told there; nobody else has to be.
    connection.on('error', () => {})
    try {
      // A node that has lost the others takes connections, and answers nothing.
      if (this.several) await connection.query(seesAll ? READ_ALL_COMMITTED : 'SELECT 1')
      if (seesAll) await connection.query('SELECT 1')
      return connection
    } catch (error) {
      connection.destroy()
      throw error
    }
  }

  #socketTo(node: DatabaseNode): Socket {
    const socket = connect(node.port, node.host).setNoDelay(true)
    const open = this.#open.get(node) ?? new Set()
    this.#open.set(node, open.add(socket))
    socket.once('close', () => open.delete(socket))
    return socket
  }

  #giveUp(node: DatabaseNode): void {
    if (node === this.current) this.#at = (this.#at + 1) % this.#address.nodes.length
    const open = this.#open.get(node)
    this.#open.delete(node)
    const silence = () => Object.assign(new Error('the node does not answer'), { code: 'ECONNRESET' })
    for (const socket of open ?? []) socket.destroy(silence())
  }
}
