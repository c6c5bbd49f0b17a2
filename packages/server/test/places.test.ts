/** Places in the code: stored with markers, told later, given lines after the end, shown in reports. */
import { expect } from 'chai'
import { mkdirSync, mkdtempSync, rmSync, symlinkSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import type { Problem, TakeDetail } from '@lapsus/api'
import { LIMITS, RecordReader, type AnyRecord, type DeclareRecord, type Place } from '@lapsus/core/format'
import { jsonLine } from '@lapsus/core/exchange'
import { chunkRecord, declareRecord, node, takeRecord } from '../../core/test/support/takes.ts'
import type { RunningServer } from '../src/index.ts'
import { sourceBelow } from '../src/recordings/source-below.ts'
import { getJson, testServer } from './support.ts'

const MS = 1_000_000
const AT: Place = { file: 'src/moths.ts', line: 42, source: null }

describe('the source of the demo game', () => {
  it('is read below its folder, and nowhere else', () => {
    const above = mkdtempSync(join(tmpdir(), 'lapsus-source-'))
    const folder = join(above, 'game')
    mkdirSync(join(folder, 'src'), { recursive: true })
    writeFileSync(join(folder, 'src/moths.ts'), 'moths')
    writeFileSync(join(above, 'secret.ts'), 'secret')
    writeFileSync(join(above, 'game-of-others.ts'), 'secret')
    symlinkSync(join(above, 'secret.ts'), join(folder, 'src/link.ts'))
    expect(sourceBelow(folder, 'src/moths.ts')).to.equal('moths')
    expect(sourceBelow(folder, './src/../src/moths.ts')).to.equal('moths')
    for (const file of [
      '../secret.ts',
      '../game-of-others.ts',
      'src/link.ts',
      '/etc/passwd',
      'src',
      '',
      'none.ts',
    ])
      expect(sourceBelow(folder, file), file).to.equal(null)
    rmSync(above, { recursive: true })
  })
})

describe('places in the code', () => {
  let server: RunningServer
  before(async () => {
    server = await testServer()
  })
  after(() => server.stop())

  const declared = (sequence: number, ...places: (Place | null)[]): DeclareRecord => {
    const record = declareRecord(
      sequence,
      places.map((_, i) => ({ name: `m${i}` })),
    )
    return { ...record, markers: record.markers.map((marker, i) => ({ ...marker, at: places[i]! })) }
  }
  const chunk = (sequence: number, frames: number, startNs: number) =>
    chunkRecord(
      sequence,
      Array.from({ length: frames }, () => ({ lanes: [[node(0, 30 * MS)]], restNs: 0 })),
      startNs,
    )

  /** Each request begins with the record of the take. */
  async function post(take: string, records: AnyRecord[]): Promise<void> {
    const body = [takeRecord({ take }), ...records].map(jsonLine).join('')
    const response = await fetch(`${server.address}/ingest/${take}`, { method: 'POST', body })
    expect(response.status, await response.clone().text()).to.equal(200)
  }
  const placesOf = async (take: string) =>
    (await getJson<TakeDetail>(server, `/api/takes/${take}`)).markers.map(({ at }) => at)
  const change = (method: string, path: string, body: object) =>
    fetch(server.address + path, {
      method,
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify(body),
    })
  const problemOf = async (response: Response) => [
    response.status,
    ((await response.json()) as Problem).detail,
  ]

  it('are stored with markers, may come later, and are handed on', async () => {
    const take = 'placed-later-1'
    await post(take, [declared(1, null, AT, null), chunk(2, 3, 0)])
    expect(await placesOf(take)).to.deep.equal([null, AT, null])
    const later = { file: 'src/lamps.ts', line: 7, source: { from: 7, lines: ['glow()'] } }
    // The second stays where it is known to stand.
    await post(take, [declared(3, later, { ...AT, line: 1 }, null), chunk(4, 3, 90 * MS)])
    await post(take, [{ record: 'end', sequence: 5, dropped: 0, problems: [] }])
    expect(await placesOf(take)).to.deep.equal([later, AT, null])
    const records: AnyRecord[] = []
    const file = await fetch(`${server.address}/api/takes/${take}/file?format=lapsus`)
    new RecordReader().push(new Uint8Array(await file.arrayBuffer()), (record) => records.push(record))
    const markers = records.flatMap((record) => (record.record === 'declare' ? record.markers : []))
    expect(markers.map(({ at }) => at)).to.deep.equal([later, AT, null])
  })

  it('get their lines after the end: all of them, or none where one is wrong', async () => {
    const take = 'placed-lines-1'
    await post(take, [
      declared(1, AT, { ...AT, line: 50 }, null),
      chunk(2, 240, 0),
      { record: 'end', sequence: 3, dropped: 0, problems: [] },
    ])
    const path = `/api/takes/${take}/source`
    const good = { marker: 0, from: 41, lines: ['', 'seek() // <b>', ''] }
    // Read once before, so that what is kept of the take is of before.
    await fetch(`${server.address}/api/report?take=${take}&format=html`)
    const wrong: [object, string][] = [
      [{ markers: [good, { ...good, marker: 9 }] }, 'the take has no marker 9'],
      [{ markers: [good, { ...good, marker: 2 }] }, 'nobody knows where marker 2 (m2) stands'],
      [{ markers: [good, { ...good, from: 0 }] }, '"from"'],
      [{ markers: [good, { ...good, lines: ['x'.repeat(LIMITS.sourceWidth + 1)] }] }, '"lines[0]"'],
      [{ markers: [good, { ...good, marker: 'x' }] }, '"marker"'],
      [{ markers: [good, 7] }, 'markers'],
      [{ markers: 7 }, 'markers'],
      [{}, 'markers'],
      [{ markers: [good], more: 1 }, 'more'],
    ]
    for (const [body, words] of wrong) {
      const [status, detail] = await problemOf(await change('PUT', path, body))
      expect(status, words).to.equal(400)
      expect(detail).to.contain(words)
      expect(await placesOf(take)).to.deep.equal([AT, { ...AT, line: 50 }, null])
    }
    expect((await change('PUT', path, { markers: [good] })).status).to.equal(204)
    const source = { from: good.from, lines: good.lines }
    expect(await placesOf(take)).to.deep.equal([{ ...AT, source }, { ...AT, line: 50 }, null])
    const report = await fetch(`${server.address}/api/report?take=${take}&format=html`)
    expect(await report.text()).to.contain('<b><i>42</i>seek() // &lt;b&gt;</b>')
    expect((await change('PUT', '/api/takes/no-such-take/source', { markers: [good] })).status).to.equal(404)
    expect((await change('PUT', path, { markers: [] })).status).to.equal(204)
  })

  it('build and scene are said by whoever has recorded, over what the game says', async () => {
    const take = 'placed-build-1'
    await post(take, [declared(1, null), chunk(2, 3, 0)])
    const path = `/api/takes/${take}`
    const before = (await getJson<TakeDetail>(server, path)).conditions
    const response = await change('PATCH', path, { conditions: { build: '1.4.0' } })
    expect(response.status).to.equal(200)
    expect((await getJson<TakeDetail>(server, path)).conditions).to.deep.equal({ ...before, build: '1.4.0' })
    const wrong: [object, string][] = [
      [{ build: 7 }, 'build'],
      [{ build: '' }, 'build'],
      [{ scene: 'x'.repeat(201) }, 'scene'],
      [{ device: 'other' }, 'device'],
    ]
    for (const [conditions, words] of wrong) {
      const [status, detail] = await problemOf(await change('PATCH', path, { conditions }))
      expect([status, String(detail).includes(words)], String(detail)).to.deep.equal([400, true])
    }
    expect((await getJson<TakeDetail>(server, path)).conditions.build).to.equal('1.4.0')
  })
})
