/** The tables: what migrations make is what the program reads and writes, and each server has its own. */
import { expect } from 'chai'
import { pino } from 'pino'
import type { TakeDetail } from '@lapsus/api'
import { DataTypes, type ModelAttributeColumnOptions } from 'sequelize'
import type { Column } from '../src/store/columns.ts'
import { Studies } from '../src/serve/answers/studies.ts'
import { TASKS, type ThreadParts } from '../src/serve/pool/tasks.ts'
import { findTake } from '../src/serve/queries/takes.ts'
import { connect } from '../src/store/connection.ts'
import { migrate } from '../src/store/migrate.ts'
import { tableName } from '../src/store/store.ts'
import { TABLES } from '../src/store/tables.ts'
import { encodeRecord, endRecord } from '@lapsus/core/format'
import { readAnswer } from '@lapsus/core/questions'
import { PAGE } from '@lapsus/core/questions/page'
import { chunkRecord, declareRecord, node, takeRecord } from '../../core/test/support/takes.ts'
import { freshDatabase, getJson, testServer } from './support.ts'

/** How MariaDB names the types that columns have. */
function typeName(type: ModelAttributeColumnOptions['type']): string {
  const { key, options = {} } = type as unknown as {
    key: string
    options?: { length?: number | string }
    _length?: number | string
  }
  const length = options.length ?? (type as unknown as { _length?: number | string })._length
  if (key === DataTypes.STRING.key) return `VARCHAR(${length})`
  if (key === DataTypes.INTEGER.key) return 'INT(11)'
  if (key === DataTypes.SMALLINT.key) return 'SMALLINT(6)'
  if (key === DataTypes.BIGINT.key) return 'BIGINT(20)'
  if (key === DataTypes.DOUBLE.key) return 'DOUBLE'
  if (key === DataTypes.BOOLEAN.key) return 'TINYINT(1)'
  if (key === DataTypes.DATE.key) return 'DATETIME(3)'
  if (key === DataTypes.TEXT.key) return length === 'medium' ? 'MEDIUMTEXT' : 'TEXT'
  if (key === DataTypes.BLOB.key) return 'MEDIUMBLOB'
  return key
}

describe('the store', () => {
  it('says of every column what the migrations made of it', async () => {
    const database = await connect(await freshDatabase())
    await migrate(database)
    const schema = database.getQueryInterface()
    const made = (await schema.showAllTables()) as unknown as { tableName: string }[]
    const names = Object.keys(TABLES).map(tableName)
    expect(made.map(({ tableName }) => tableName).sort()).to.deep.equal([...names, 'migrations'].sort())
    for (const [name, columns] of Object.entries(TABLES)) {
      const found = await schema.describeTable(tableName(name))
      const said = Object.fromEntries(
        Object.entries(columns as Record<string, Column>).map(([column, { attribute }]) => {
          const { type, allowNull, primaryKey = false, autoIncrement = false } = attribute()
          return [
            tableName(column),
            { type: typeName(type), allowNull, primaryKey, autoIncrement: autoIncrement === true },
          ]
        }),
      )
      const is = Object.fromEntries(
        Object.entries(found).map(([column, { type, allowNull, primaryKey, autoIncrement }]) => [
          column,
          { type, allowNull, primaryKey, autoIncrement },
        ]),
      )
      expect(is, name).to.deep.equal(said)
    }
    await database.close()
  })
})

const take = (id: string) => [
  takeRecord({ take: id }),
  declareRecord(1, [{ name: 'sim' }]),
  chunkRecord(2, [{ lanes: [[node(0, 3_000_000)]], restNs: 0 }]),
  endRecord(3),
]

describe('two servers in one process', () => {
  it('keep their takes apart, each in its own database', async () => {
    const [one, other] = await Promise.all([testServer(), testServer()])
    const bring = async (address: string, id: string) => {
      const body = Buffer.concat(take(id).map(encodeRecord))
      const answer = await fetch(`${address}/api/imports`, {
        method: 'POST',
        headers: { 'content-type': 'application/octet-stream' },
        body,
      })
      expect(answer.status).to.equal(201)
    }
    await Promise.all([bring(one.address, 'take-of-one'), bring(other.address, 'take-of-other')])
    const statusOf = async (address: string, id: string) => (await fetch(`${address}/api/takes/${id}`)).status
    expect(await statusOf(one.address, 'take-of-one')).to.equal(200)
    expect(await statusOf(one.address, 'take-of-other')).to.equal(404)
    expect(await statusOf(other.address, 'take-of-other')).to.equal(200)
    expect(await statusOf(other.address, 'take-of-one')).to.equal(404)
    // The first goes on when the second has ended.
    await other.stop()
    expect((await getJson<TakeDetail>(one, '/api/takes/take-of-one')).frames).to.equal(1)
    await one.stop()
  })

  it('ask no more than three times for a page', async () => {
    const server = await testServer()
    const body = Buffer.concat(take('asked-take').map(encodeRecord))
    await fetch(`${server.address}/api/imports`, { method: 'POST', body })
    // The server's own thread finds the take; what a thread of the pool asks is counted with its task done here.
    const { store } = server
    const parts: ThreadParts = { store, studies: new Studies(store), log: pino({ level: 'silent' }) }
    const page = async () => {
      const row = (await findTake(store, 'asked-take'))!
      const query = { range: null, target: row.target, withoutRecorder: false }
      return TASKS.ask(parts, { row: row.get(), at: PAGE.at, query, asked: { frame: 0 } })
    }
    await page()
    const asked: string[] = []
    const { options } = store.database as unknown as { options: { logging: (sql: string) => void } }
    // What the server looks for at intervals names no take.
    options.logging = (sql) => void (sql.includes("'asked-take'") && asked.push(sql))
    expect(readAnswer(PAGE, await page()).path).to.have.length(1)
    expect(asked.length, asked.join('\n')).to.be.within(1, 3)
    asked.length = 0
    expect((await fetch(`${server.address}/api/takes/asked-take/pages/0`)).status).to.equal(200)
    expect(asked.length, asked.join('\n')).to.equal(1)
    await server.stop()
  })
})

describe('a column of frames that this version does not know', () => {
  it('survives import, storage, export and an excerpt', async () => {
    const server = await testServer()
    const takes = `${server.address}/api/takes`
    const [first, declared] = take('later-column')
    const chunk = chunkRecord(
      2,
      [3, 4, 5].map((ms) => ({ lanes: [[node(0, ms * 1e6)]], restNs: 0 })),
    )
    const records = [
      first!,
      declared!,
      { ...chunk, otherFrameColumns: { heat: Float64Array.of(7, 0.5, 9) } },
      endRecord(3),
    ]
    await fetch(`${server.address}/api/imports`, {
      method: 'POST',
      body: Buffer.concat(records.map(encodeRecord)),
    })
    const columnOf = async (id: string) => {
      const lines = (await (await fetch(`${takes}/${id}/file?format=jsonl`)).text()).trim().split('\n')
      const chunks = lines.map((line) => JSON.parse(line) as { frames?: { heat?: number[] } })
      return chunks.flatMap(({ frames }) => frames?.heat ?? [])
    }
    expect(await columnOf('later-column')).to.deep.equal([7, 0.5, 9])
    const kept = await fetch(`${takes}/later-column/excerpts`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ from: 1, to: 2 }),
    })
    expect(await columnOf(((await kept.json()) as { id: string }).id)).to.deep.equal([0.5, 9])
    await server.stop()
  })
})
