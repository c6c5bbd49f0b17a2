/** A database of an earlier version is brought up to date, and its takes stay readable. */
import { readAnswer } from '@lapsus/core/questions'
import { PAGE } from '@lapsus/core/questions/page'
import type { LedgerAnswer } from '@lapsus/core/questions/ledger'
import { expect } from 'chai'
import { type TakeDetail } from '@lapsus/api'
import { encodeCbor } from '@lapsus/core/format'
import { coursesOf, encodeRollup, packCourses, rollupOf } from '@lapsus/core/rollup'
import { decodeFrames, Digester, packSpans } from '@lapsus/core/take'
import { pack } from '../src/store/compression.ts'
import { connect } from '../src/store/connection.ts'
import * as first from '../src/store/migrations/001-takes.ts'
import * as plans from '../src/store/migrations/004-plans.ts'
import * as planLists from '../src/store/migrations/006-plan-lists.ts'
import { chunkRecord, declareRecord, node } from '../../core/test/support/takes.ts'
import { freshDatabase, getJson, testServer } from './support.ts'

describe('a database of the first version', () => {
  it('is migrated, and its takes are read as before', async () => {
    const databaseUrl = await freshDatabase()
    const database = await connect(databaseUrl)
    const schema = database.getQueryInterface()
    await first.up({ context: schema })
    await schema.createTable('migrations', { name: { type: 'VARCHAR(255)', primaryKey: true } })

    const digester = new Digester()
    digester.declare(declareRecord(1, [{ name: 'sim' }]))
    const chunk = digester.digest(
      chunkRecord(2, [
        { lanes: [[node(0, 3_000_000)]], restNs: 0 },
        { lanes: [[node(0, 5_000_000), node(0, 1_000_000)]], restNs: 0 },
      ]),
    )
    const { paths } = digester.progress
    const courses = coursesOf(chunk, paths)
    const { frames } = chunk
    const zeros = new Uint8Array(2)
    // The columns that frames had then.
    const frameColumns = encodeCbor({
      ...{ start: frames.startNs, duration: frames.durationNs, work: frames.workNs },
      ...{ refresh: zeros, graphics: zeros, job: zeros, io: zeros, collect: zeros, steps: zeros },
      spans: frames.spans,
    })
    const samples = encodeCbor([{ gauge: 0, frame: Uint8Array.of(1), value: Float64Array.of(7) }])
    const at = '2026-01-02 03:04:05'
    const insert = (table: string, row: object) => schema.bulkInsert(table, [row])
    await insert('migrations', { name: '001-takes' })
    await insert('games', { id: 1, name: 'Old' })
    await insert('takes', {
      ...{
        id: 'an-old-take',
        game_id: 1,
        name: 'then',
        note: '',
        state: 'complete',
        started: at,
        target: 60,
      },
      ...{
        conditions: '{}',
        frames: 2,
        spans: 3,
        chunks: 1,
        end_ns: 9_000_000,
        last_sequence: 3,
        touched_at: at,
      },
    })
    await insert('markers', {
      take_id: 'an-old-take',
      id: 0,
      name: 'sim',
      marker_group: '',
      group_id: 0,
      kind: 'work',
    })
    await insert('lanes', { take_id: 'an-old-take', id: 0, name: 'main' })
    await insert('gauges', { take_id: 'an-old-take', id: 0, name: 'letters', unit: '' })
    await insert('paths', { take_id: 'an-old-take', id: 0, parent: -1, lane: 0, marker: 0 })
    await insert('chunks', {
      ...{
        take_id: 'an-old-take',
        idx: 0,
        sequence: 2,
        first_frame: 0,
        frames: 2,
        spans: 3,
        dropped: 0,
        repaired: 0,
      },
      frame_columns: Buffer.from(frameColumns),
      span_columns: await pack(packSpans(chunk.spans, frames.startNs, paths)),
      courses: await pack(packCourses(courses)),
      samples: Buffer.from(samples),
    })
    await insert('rollups', {
      ...{ take_id: 'an-old-take', level: 0, idx: 0 },
      body: await pack(encodeRollup(rollupOf(courses, paths, 0))),
    })
    await database.close()

    const server = await testServer({ databaseUrl })
    const take = await getJson<TakeDetail>(server, '/api/takes/an-old-take')
    expect(take).to.deep.include({ name: 'then', tags: [], watches: [], classes: [], stretches: [] })
    expect(take.markers[0]).to.deep.include({ name: 'sim', tags: [], watches: [] })
    const bytesOf = async (path: string) =>
      new Uint8Array(await (await fetch(`${server.address}/api/takes/an-old-take/${path}`)).arrayBuffer())
    expect([...decodeFrames(await bytesOf('frames')).mainSpans]).to.deep.equal([1, 2])
    const page = readAnswer(PAGE, await bytesOf('pages/1'))
    expect([...page.spanDurationNs]).to.deep.equal([5_000_000, 1_000_000])
    expect(page.gauges).to.deep.equal([{ gauge: 0, value: 7 }])
    expect(page.effect).to.equal(null)
    const { rows } = await getJson<LedgerAnswer>(server, '/api/takes/an-old-take/ledger?from=0&to=1')
    expect(rows[0]).to.include({ calls: 3, selfMs: 9, needless: 0, bytes: 0 })
    await server.stop()
  })
})

describe('plans of an earlier version', () => {
  it('are listed by what is in them, without being read again', async () => {
    const databaseUrl = await freshDatabase()
    const database = await connect(databaseUrl)
    const schema = database.getQueryInterface()
    for (const migration of [first, plans]) await migration.up({ context: schema })
    await schema.bulkInsert('games', [{ id: 1, name: 'Old' }])
    const item = { remedy: 'drop', path: ['sim'] }
    const body = (states: string[]) =>
      JSON.stringify({
        ...{ format: 'lapsus-plan', version: 1, name: 'before', proof: null },
        items: states.map((state) => ({ ...item, state })),
      })
    await schema.bulkInsert('plans', [
      {
        id: 'p',
        game_id: 1,
        revision: 1,
        body: body(['idea', 'dropped', 'done']),
        changed_at: '2026-01-02 03:04:05',
      },
    ])
    await planLists.up({ context: schema })
    const [rows] = await database.query('SELECT name, items FROM plans')
    expect(rows).to.deep.equal([{ name: 'before', items: 2 }])
    await database.close()
  })
})
