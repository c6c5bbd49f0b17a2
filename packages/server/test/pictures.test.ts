/** Pictures of the screen: stored, listed, given out as what they are, gone with their take. */
import { expect } from 'chai'
import { jsonLine } from '@lapsus/core/exchange'
import { RecordReader, type AnyRecord } from '@lapsus/core/format'
import type { TakeDetail, TakePicture } from '@lapsus/api'
import { jpeg, png } from '../../core/test/support/pictures.ts'
import { chunkRecord, declareRecord, node, takeRecord } from '../../core/test/support/takes.ts'
import type { RunningServer } from '../src/index.ts'
import { getJson, testServer } from './support.ts'

const MS = 1e6
const TAKE = 'pictured-take-1'

describe('pictures of a take', () => {
  let server: RunningServer
  before(async () => {
    server = await testServer()
    const frames = (sequence: number, startNs: number) =>
      chunkRecord(
        sequence,
        Array.from({ length: 4 }, () => ({ lanes: [[node(0, 10 * MS)]], restNs: 0 })),
        startNs,
      )
    const records: AnyRecord[] = [
      takeRecord({ take: TAKE }),
      declareRecord(1, [{ name: 'sim' }]),
      { ...frames(2, 0), pictures: [{ atNs: 15 * MS, bytes: png(320, 180) }] },
      // One that was packed while the next chunk was made.
      {
        ...frames(3, 40 * MS),
        pictures: [
          { atNs: 5 * MS, bytes: jpeg(160, 90) },
          { atNs: 55 * MS, bytes: png(16, 9) },
        ],
      },
      { record: 'end', sequence: 4, dropped: 0, problems: [] },
    ]
    const body = records.map(jsonLine).join('')
    expect((await fetch(`${server.address}/ingest/${TAKE}`, { method: 'POST', body })).status).to.equal(200)
  })
  after(() => server.stop())

  const at = (path = '') => `${server.address}/api/takes/${TAKE}${path}`

  it('are listed in order of time', async () => {
    expect(await getJson<TakePicture[]>(server, `/api/takes/${TAKE}/pictures`)).to.deep.equal([
      { name: '1-0', atNs: 5 * MS, width: 160, height: 90 },
      { name: '0-0', atNs: 15 * MS, width: 320, height: 180 },
      { name: '1-1', atNs: 55 * MS, width: 16, height: 9 },
    ])
  })

  it('are given out byte by byte, as what they are, and as nothing that runs', async () => {
    const response = await fetch(at('/pictures/1-0'))
    expect(new Uint8Array(await response.arrayBuffer())).to.deep.equal(jpeg(160, 90))
    expect(response.headers.get('content-type')).to.equal('image/jpeg')
    expect(response.headers.get('x-content-type-options')).to.equal('nosniff')
    expect(response.headers.get('content-security-policy')).to.equal("default-src 'none'; sandbox")
    for (const name of ['2-0', '0-9', 'x', '0-0-0', '-1-0', '99999999999-0'])
      expect((await fetch(at(`/pictures/${name}`))).status, name).to.equal(404)
    expect((await fetch(`${server.address}/api/takes/no-such-take/pictures`)).status).to.equal(404)
  })

  it('leave with the take as a file, and come back with it', async () => {
    const records: AnyRecord[] = []
    const file = await fetch(at('/file?format=lapsus'))
    new RecordReader().push(new Uint8Array(await file.arrayBuffer()), (one) => records.push(one))
    const pictures = records.flatMap((one) => (one.record === 'chunk' ? one.pictures : []))
    expect(pictures.map(({ atNs, bytes }) => [atNs / MS, bytes.length])).to.deep.equal([
      [15, png(1, 1).length],
      [5, jpeg(1, 1).length],
      [55, png(1, 1).length],
    ])
  })

  it('are in an excerpt that has their frames, and count as stored', async () => {
    const { storedBytes } = await getJson<TakeDetail>(server, `/api/takes/${TAKE}`)
    const response = await fetch(at('/excerpts'), {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ from: 1, to: 2 }),
    })
    const part = (await response.json()) as TakeDetail
    const found = await getJson<TakePicture[]>(server, `/api/takes/${part.id}/pictures`)
    expect(found.map(({ atNs, width }) => [atNs / MS, width])).to.deep.equal([[5, 320]])
    expect(storedBytes).to.be.greaterThan(png(1, 1).length * 2 + jpeg(1, 1).length)
  })
})
