/** Records in the bodies of requests: each stored once, whatever is sent twice, at once, or wrong. */
import { expect } from 'chai'
import { gzipSync } from 'node:zlib'
import { jsonLine } from '@lapsus/core/exchange'
import { encodeRecord, RecordReader, VERSION, type AnyRecord, type ChunkRecord } from '@lapsus/core/format'
import type { TakeDetail } from '@lapsus/api'
import { richTake } from '../../core/test/support/rich-take.ts'
import { chunkRecord, declareRecord, node, takeRecord } from '../../core/test/support/takes.ts'
import type { RunningServer } from '../src/index.ts'
import { newerThan } from '../src/ingest/newer.ts'
import { getJson, testServer, until } from './support.ts'

const MS = 1_000_000

interface Answer {
  status: number
  ack: number | null
  code?: string
  detail?: string
  orders?: object[]
}

describe('records in requests', () => {
  let server: RunningServer
  before(async () => {
    server = await testServer()
  })
  after(() => server.stop())

  async function post(take: string, body: BodyInit, headers: Record<string, string> = {}): Promise<Answer> {
    const response = await fetch(`${server.address}/ingest/${take}`, { method: 'POST', body, headers })
    return { status: response.status, ...((await response.json()) as Omit<Answer, 'status'>) }
  }
  const cbor = (records: AnyRecord[]) => Buffer.concat(records.map(encodeRecord))
  const lines = (records: AnyRecord[]) => records.map(jsonLine).join('')

  /** A take of some chunks of one frame each, with its parts to send. */
  function made(take: string, chunks: number) {
    const head = takeRecord({ take })
    const declare = declareRecord(1, [{ name: 'update' }])
    const frames = Array.from({ length: chunks }, (_, i): ChunkRecord => ({
      ...chunkRecord(i + 2, [{ lanes: [[node(0, MS)]], restNs: 15 * MS }]),
      frameStartNs: Float64Array.of(i * 16 * MS),
    }))
    for (const [i, { lanes }] of frames.entries()) lanes[0]!.startNs = Float64Array.of(i * 16 * MS)
    return {
      head,
      declare,
      frames,
      end: { record: 'end', sequence: chunks + 2, dropped: 0, problems: [] } as AnyRecord,
    }
  }

  async function recordsOf(take: string): Promise<AnyRecord[]> {
    const response = await fetch(`${server.address}/api/takes/${take}/file`)
    const records: AnyRecord[] = []
    new RecordReader().push(new Uint8Array(await response.arrayBuffer()), (record) => records.push(record))
    return records
  }
  const startsOf = (records: AnyRecord[]) =>
    records.flatMap((record) => (record.record === 'chunk' ? [...record.frameStartNs] : []))

  it('are a take, as CBOR, as lines of JSON, packed or not', async () => {
    const send: Record<string, (records: AnyRecord[]) => [BodyInit, Record<string, string>]> = {
      'posted-as-cbor': (records) => [cbor(records) as BodyInit, {}],
      'posted-as-lines': (records) => [lines(records), {}],
      'posted-as-gzip': (records) => [gzipSync(cbor(records)) as BodyInit, { 'content-encoding': 'gzip' }],
      'posted-packed-lines': (records) => [
        gzipSync(lines(records)) as BodyInit,
        { 'content-encoding': 'gzip' },
      ],
    }
    const expected = richTake()
    for (const [take, encode] of Object.entries(send)) {
      const records = richTake().map((record) => (record.record === 'take' ? { ...record, take } : record))
      const last = records.at(-1) as { sequence: number }
      expect(await post(take, ...encode(records)), take).to.include({ status: 200, ack: last.sequence })
      const kept = await recordsOf(take)
      expect(lines(kept.slice(1)), take).to.equal(lines(expected.slice(1)))
      expect(await getJson<TakeDetail>(server, `/api/takes/${take}`)).to.include({ state: 'complete' })
    }
  })

  it('come bit by bit, each once, however often and in whatever company they are sent', async () => {
    const { head, declare, frames, end } = made('posted-in-bits', 4)
    expect(await post('posted-in-bits', cbor([head]) as BodyInit)).to.include({ status: 200, ack: 0 })
    expect(await post('posted-in-bits', cbor([head, declare, frames[0]!]) as BodyInit)).to.include({ ack: 2 })
    // The answer was lost: the same again, with more.
    expect(await post('posted-in-bits', lines([head, declare, frames[0]!, frames[1]!]))).to.include({
      ack: 3,
    })
    expect((await getJson<TakeDetail>(server, '/api/takes/posted-in-bits')).state).to.equal('recording')
    // One is missing: it is said from where.
    const gap = await post('posted-in-bits', cbor([head, frames[3]!]) as BodyInit)
    expect(gap).to.include({ status: 409, code: 'out-of-sequence', ack: 3 })
    expect(gap.detail).to.contain('record 1 at byte')
    expect(await post('posted-in-bits', cbor([head, frames[2]!, frames[3]!, end]) as BodyInit)).to.include({
      ack: 6,
    })
    expect(startsOf(await recordsOf('posted-in-bits'))).to.deep.equal([0, 1, 2, 3].map((i) => i * 16 * MS))
    expect((await getJson<TakeDetail>(server, '/api/takes/posted-in-bits')).state).to.equal('complete')
    // To a take that is complete nothing is added.
    expect(await post('posted-in-bits', cbor([head, end]) as BodyInit)).to.include({ status: 200, ack: 6 })
    const more = { ...frames[0]!, sequence: 7 }
    expect(await post('posted-in-bits', cbor([head, more]) as BodyInit)).to.include({ status: 422, ack: 6 })
  })

  it('are stored once when the same come many times at once', async () => {
    const { head, declare, frames, end } = made('posted-at-once', 12)
    const all = cbor([head, declare, ...frames, end]) as BodyInit
    const answers = await Promise.all(Array.from({ length: 6 }, () => post('posted-at-once', all)))
    // Who was in another's way is told to come again.
    expect(answers.map(({ status }) => status)).to.satisfy((all: number[]) =>
      all.every((status) => status === 200 || status === 409 || status === 503),
    )
    expect(await post('posted-at-once', all)).to.include({ status: 200, ack: 14 })
    expect(startsOf(await recordsOf('posted-at-once'))).to.deep.equal(frames.map((_, i) => i * 16 * MS))
  })

  it('are good up to the first that is wrong, which is named', async () => {
    const { head, declare, frames } = made('posted-half-good', 2)
    const cut = cbor([head, declare, frames[0]!, frames[1]!])
    expect(await post('posted-half-good', cut.subarray(0, -3) as BodyInit)).to.include({
      ...{ status: 422, code: 'not-cbor', ack: 2 },
    })
    expect(startsOf(await recordsOf('posted-half-good'))).to.deep.equal([0])
    const wrongLine = await post('posted-half-good', lines([head, declare]) + '{"record":"end"}\n')
    expect(wrongLine).to.include({ status: 422, code: 'bad-field', ack: 2 })
    expect(wrongLine.detail).to.match(/^record 2 at byte \d+: expected "sequence"/)
    for (const [body, words] of [
      ['', 'there is no record'],
      ['{', 'a line of JSON'],
      ['{}', 'record'],
      [lines([declare]), 'the first record is another'],
      [lines([head, head]), 'got that record again'],
      [lines([takeRecord({ take: 'posted-elsewhere' })]), 'as in the address'],
    ] as const) {
      const answer = await post('posted-half-good', body)
      expect(answer.status, body).to.equal(422)
      expect(answer.detail, body).to.contain(words)
    }
    expect((await post('posted-half-good', 'abc', { 'content-encoding': 'gzip' })).status).to.equal(400)
    expect((await post('posted-half-good', 'abc', { 'content-encoding': 'br' })).status).to.equal(415)
  })

  it('bring back what somebody who watches wishes', async () => {
    const { head, declare, frames } = made('posted-and-watched', 3)
    await post('posted-and-watched', cbor([head, declare]) as BodyInit)
    await fetch(`${server.address}/api/takes/posted-and-watched/stop`, { method: 'POST' })
    expect((await post('posted-and-watched', cbor([head, frames[0]!]) as BodyInit)).orders).to.deep.equal([
      { order: 'stop' },
    ])
    // The answer may be lost: it is said until the game ends.
    expect((await post('posted-and-watched', cbor([head, frames[1]!]) as BodyInit)).orders).to.deep.equal([
      { order: 'stop' },
    ])
    await fetch(`${server.address}/api/takes/posted-and-watched/discard`, { method: 'POST' })
    for (let i = 0; i < 2; i++) {
      const discarded = await post('posted-and-watched', cbor([head, frames[2]!]) as BodyInit)
      expect(discarded).to.include({ status: 410, code: 'discarded' })
    }
  })

  it('are shown as they come, and closed when no more do', async () => {
    const { head, declare, frames } = made('posted-and-silent', 1)
    await post('posted-and-silent', cbor([head, declare, frames[0]!]) as BodyInit)
    await until(
      async () => (await getJson<TakeDetail>(server, '/api/takes/posted-and-silent')).frames === 1,
      'the frame is shown',
    )
  })
})

describe('a recorder that is older than this Lapsus', () => {
  it('is told so, once, and by its own name alone', async () => {
    const [major, minor, patch] = VERSION.split('.').map(Number) as [number, number, number]
    const older = `${major}.${minor - 1}.${patch + 9}`
    expect(newerThan(`lapsus.py ${older}`)).to.equal(
      `lapsus.py ${older} is older than this Lapsus, which has ${VERSION} at /get/lapsus.py`,
    )
    expect(newerThan(`Lapsus probe ${older}`)).to.contain('/get/lapsus-probe.tgz')
    for (const other of [
      ...[
        `lapsus.py ${VERSION}`,
        `lapsus.py ${major}.${minor}.${patch + 1}`,
        `lapsus.py ${major}.${minor + 1}.0`,
      ],
      ...[`lapsus.py ${major + 1}.0.0`, `another ${older}`, 'lapsus.py', `constructor ${older}`, undefined],
    ])
      expect(newerThan(other), other).to.equal(null)
    const server = await testServer()
    try {
      const head = jsonLine(
        takeRecord({ take: 'by-an-old-one', conditions: { probe: `lapsus.lua ${older}` } }),
      )
      const notes = async () => {
        const response = await fetch(`${server.address}/ingest/by-an-old-one`, { method: 'POST', body: head })
        return ((await response.json()) as { notes: string[] }).notes
      }
      expect(await notes()).to.deep.equal([newerThan(`lapsus.lua ${older}`)])
      expect(await notes()).to.deep.equal([])
    } finally {
      await server.stop()
    }
  })
})

describe('records in requests to a Lapsus with keys', () => {
  it('are let in with the key of their game', async () => {
    const server = await testServer({
      access: { password: 'secret-enough', ingestKeys: { Mine: 'the-key-of-my-game' } },
    })
    try {
      const { Mine, Other } = Object.fromEntries(
        ['Mine', 'Other'].map((game) => [game, jsonLine(takeRecord({ take: `keyed-${game}`, game }))]),
      )
      const send = async (take: string, body: string, headers: Record<string, string>, query: string) =>
        (await fetch(`${server.address}/ingest/${take}${query}`, { method: 'POST', body, headers })).status
      const post = async (take: string, body: string, headers: Record<string, string>, query = '') => {
        // As senders do where the server has no time.
        let status = 503
        while (status === 503) status = await send(take, body, headers, query)
        return status
      }
      const bearer = { authorization: 'Bearer the-key-of-my-game' }
      expect(await post('keyed-Mine', Mine!, {})).to.equal(401)
      expect(await post('keyed-Mine', Mine!, { authorization: 'Bearer wrong' })).to.equal(401)
      expect(await post('keyed-Mine', Mine!, bearer)).to.equal(200)
      expect(await post('keyed-Mine', Mine!, {}, '?key=the-key-of-my-game')).to.equal(200)
      expect(await post('keyed-Other', Other!, bearer)).to.equal(401)
    } finally {
      await server.stop()
    }
  })
})
