/**
 * A cluster tells of a conflict when a transaction is committed, and has rolled it back by then. Here the driver is
 * made to do so: a COMMIT becomes a ROLLBACK, and error 1213.
 */
import { expect } from 'chai'
import mariadb, { type Connection } from 'mariadb'
import { endRecord } from '@lapsus/core/format'
import { chunkRecord, declareRecord, node, takeRecord } from '../../core/test/support/takes.ts'
import { TakeWriter } from '../src/ingest/take-writer.ts'
import { connect } from '../src/store/connection.ts'
import { migrate } from '../src/store/migrate.ts'
import { storeOf, type Store } from '../src/store/store.ts'
import { foundOrMade, transact } from '../src/store/transaction.ts'
import { freshDatabase } from './support.ts'

const conflict = () => Object.assign(new Error('Deadlock found when trying to get lock'), { errno: 1213 })

describe('a conflict that is told at COMMIT', () => {
  const { createConnection } = mariadb
  let store: Store
  /** How many of the next COMMITs are refused. */
  let refusals = 0
  let commits = 0

  before(async () => {
    mariadb.createConnection = (async (options: never): Promise<Connection> => {
      const connection = await createConnection(options)
      const query = connection.query.bind(connection) as (...all: unknown[]) => Promise<unknown>
      connection.query = (async (sql: string, ...rest: unknown[]) => {
        if (!/^COMMIT/.test(sql)) return query(sql, ...rest)
        commits++
        if (refusals-- <= 0) return query(sql, ...rest)
        await query('ROLLBACK')
        throw conflict()
      }) as never
      return connection
    }) as typeof createConnection
    const database = await connect(await freshDatabase())
    await migrate(database)
    store = storeOf(database)
  })
  after(async () => {
    mariadb.createConnection = createConnection
    await store.database.close()
  })
  beforeEach(() => {
    refusals = commits = 0
  })

  it('is never taken for a commit: the COMMIT is not sent again, the transaction is told to have failed', async () => {
    refusals = 1
    const failed = await store.database
      .transaction((transaction) => store.games.create({ name: 'lost' }, { transaction }))
      .then(
        () => null,
        (error: unknown) => error,
      )
    expect(failed).to.be.instanceOf(Error)
    expect(commits).to.equal(1)
    expect(await store.games.count({ where: { name: 'lost' } })).to.equal(0)
  })

  it('makes the whole transaction be done again', async () => {
    refusals = 3
    let rounds = 0
    await transact(store.database, async (transaction) => {
      rounds++
      await store.games.create({ name: 'kept' }, { transaction })
    })
    expect(rounds).to.equal(4)
    expect(await store.games.count({ where: { name: 'kept' } })).to.equal(1)
    refusals = 1
    const [, isNew] = await foundOrMade(store.games, { where: { name: 'made' }, defaults: { name: 'made' } })
    expect(isNew).to.equal(true)
    expect(await store.games.count({ where: { name: 'made' } })).to.equal(1)
  })

  it('is told after eight rounds, and nothing is there then', async () => {
    refusals = 99
    const failed = await transact(store.database, (transaction) =>
      store.games.create({ name: 'never' }, { transaction }),
    ).then(
      () => null,
      (error: unknown) => error,
    )
    expect(failed).to.be.instanceOf(Error)
    expect(commits).to.equal(8)
    expect(await store.games.count({ where: { name: 'never' } })).to.equal(0)
  })

  it('leaves every record of a take that is acknowledged in the tables, once', async () => {
    const acknowledged: number[] = []
    const found = await TakeWriter.open(store, takeRecord({ take: 'a-take-of-conflicts' }))
    await found.settled()
    const row = (await store.takes.findByPk('a-take-of-conflicts'))!
    const writer = await TakeWriter.goOn(store, { row, isNew: false }, (ack) => acknowledged.push(ack))
    refusals = 2
    await writer.write(declareRecord(1, [{ name: 'a' }]))
    await writer.settled()
    for (let sequence = 2; sequence < 12; sequence++) {
      refusals = sequence % 3
      const at = (sequence - 2) * 2_000_000
      await writer.write(chunkRecord(sequence, [{ lanes: [[node(0, 1_000_000)]], restNs: 0 }], at))
      await writer.settled()
    }
    await writer.write(endRecord(12))
    await writer.settled()
    expect(acknowledged).to.deep.equal(Array.from({ length: 12 }, (_, i) => i + 1))
    const sequences = await store.chunks.findAll({ attributes: ['sequence'], order: ['sequence'], raw: true })
    expect(sequences.map(({ sequence }) => Number(sequence))).to.deep.equal(acknowledged.slice(1, 11))
    await row.reload()
    expect([Number(row.frames), Number(row.chunks), row.state]).to.deep.equal([10, 10, 'complete'])
  })
})
