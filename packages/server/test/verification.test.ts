/** A take that proves itself: whatever is changed, lost or doubled in the tables is told. */
import { expect } from 'chai'
import type { TakeDetail, Verification } from '@lapsus/api'
import { verificationWords } from '@lapsus/api'
import { chained, encodeRecord, endRecord, type AnyRecord, type IngestMessage } from '@lapsus/core/format'
import { bytesOf, chunkRecord, declareRecord, node, takeRecord } from '../../core/test/support/takes.ts'
import type { RunningServer } from '../src/index.ts'
import { getJson, TestGame, testServer, until } from './support.ts'

const CHUNKS = 20

const records = (take: string): AnyRecord[] => [
  takeRecord({ take }),
  declareRecord(1, [{ name: 'a' }]),
  ...Array.from({ length: CHUNKS }, (_, i) => ({
    ...chunkRecord(
      i + 2,
      Array.from({ length: 3 }, () => ({ lanes: [[node(0, 1_000_000), node(0, 2_000_000)]], restNs: 0 })),
      i * 20_000_000,
    ),
    moments: [{ name: 'm', atNs: i * 20_000_000, data: null }],
  })),
  endRecord(CHUNKS + 2),
]

describe('a take that was sent', () => {
  let server: RunningServer
  before(async () => {
    server = await testServer()
  })
  after(() => server.stop())

  const post = (take: string, all = records(take)) =>
    fetch(`${server.address}/ingest/${take}`, { method: 'POST', body: bytesOf(all) as BodyInit })
  const verify = (take: string) => getJson<Verification>(server, `/api/takes/${take}/verification`)

  it('has with each acknowledgement the chain that its sender comes to, by stream and by request', async () => {
    const all = records('a-chained-take-1')
    let chain = 0
    const chains = new Map([[0, 0]])
    for (const record of all.slice(1)) {
      chain = chained(chain, encodeRecord(record))
      chains.set((record as { sequence: number }).sequence, chain)
    }
    const game = await TestGame.connect(server, {}, 'lapsus.2')
    for (const record of all) game.send(record)
    const acks = () =>
      game.messages.filter(
        (message): message is IngestMessage & { ack: number; chain?: number } => 'ack' in message,
      )
    await until(() => acks().at(-1)?.ack === CHUNKS + 2, 'all is acknowledged')
    for (const { ack, chain: said } of acks()) expect(said, `record ${ack}`).to.equal(chains.get(ack))

    // In requests, a record twice over, and in pieces.
    const other = records('a-chained-take-2')
    let own = 0
    for (const record of other.slice(1)) own = chained(own, encodeRecord(record))
    for (const until of [5, 9, CHUNKS + 3]) {
      const answer = await post('a-chained-take-2', other.slice(0, until))
      const { ack, chain: said } = (await answer.json()) as { ack: number; chain: number }
      if (until === CHUNKS + 3) expect([ack, said]).to.deep.equal([CHUNKS + 2, own])
    }
  })

  it('is whole, and as sent', async () => {
    await post('a-verified-take')
    const found = await verify('a-verified-take')
    expect(found).to.include({ records: CHUNKS + 2, chunks: CHUNKS, isSent: true, problemCount: 0 })
    expect(verificationWords(found)).to.equal(`all ${CHUNKS + 2} records, as sent`)
  })

  it('is only whole where it was imported', async () => {
    const body = bytesOf(records('an-imported-take')) as BodyInit
    await fetch(`${server.address}/api/imports`, { method: 'POST', body })
    const found = await verify('an-imported-take')
    expect(found).to.include({ isSent: false, problemCount: 0 })
    expect(verificationWords(found)).to.equal('stored whole; sending not proven')
  })

  it('fails for a flipped byte of any blob, a lost row, a doubled record, and what a take says of itself', async () => {
    const { store } = server
    const where = { takeId: 'a-spoiled-take' }
    const spoil = async (change: () => Promise<unknown>, words: string) => {
      const take = `a-spoiled-take`
      await store.takes.destroy({ where: { id: take } })
      await post(take)
      expect((await verify(take)).problems).to.deep.equal([])
      await change()
      const { problems, problemCount } = await verify(take)
      expect(problemCount, words).to.be.greaterThan(0)
      expect(problems.join('\n')).to.contain(words)
    }
    const flipped = (blob: Buffer) => {
      const copy = Buffer.from(blob)
      copy[copy.length >> 1]! ^= 4
      return copy
    }
    for (const column of ['frameColumns', 'spanColumns', 'courses', 'samples'] as const)
      await spoil(async () => {
        const row = (await store.chunks.findOne({ where: { ...where, idx: 7 } }))!
        await store.chunks.update({ [column]: flipped(row[column]) }, { where: { ...where, idx: 7 } })
      }, `${column} of chunk 7 are not as they were stored`)
    await spoil(async () => {
      const row = (await store.rollups.findOne({ where: { ...where, level: 0, idx: 3 } }))!
      await store.rollups.update({ body: flipped(row.body) }, { where: { ...where, level: 0, idx: 3 } })
    }, 'the sums of level 0, number 3, are not as they were stored')
    await spoil(
      () => store.chunks.destroy({ where: { ...where, idx: 4 } }),
      'chunk 5 comes where chunk 4 is expected',
    )
    await spoil(
      () => store.rollups.destroy({ where: { ...where, level: 0, idx: 4 } }),
      'the sums of chunk 4 are missing',
    )
    await spoil(
      () => store.moments.destroy({ where: { ...where, idx: 4 } }),
      'chunk 4 has 0 moments, 1 were sent',
    )
    await spoil(
      async () => {
        const last = (await store.chunks.findOne({ where: { ...where, idx: CHUNKS - 1 }, raw: true }))!
        await store.chunks.create({ ...last, idx: CHUNKS, sequence: CHUNKS + 2 })
      },
      `the take has ${CHUNKS + 1} chunks, ${CHUNKS} were stored`,
    )
    await spoil(
      () => store.takes.update({ frames: 1 }, { where: { id: where.takeId } }),
      'frames, 1 were stored',
    )
  })

  it('says of a take that goes on with another what it goes on with', async () => {
    const all = records('a-take-that-goes-on')
    const from = all.slice(3)
    const head = takeRecord({ take: 'a-take-that-goes-on', continues: 'a-verified-take', after: 1 })
    const declare = { ...declareRecord(2, [{ name: 'a' }]) }
    const answer = await post('a-take-that-goes-on', [head, declare, ...from])
    expect(answer.status).to.equal(200)
    const found = await verify('a-take-that-goes-on')
    expect(found).to.include({
      continues: 'a-verified-take',
      isSent: true,
      problemCount: 0,
      chunks: CHUNKS - 1,
    })
    const { tags } = await getJson<{ tags: string[] }>(server, '/api/takes/a-take-that-goes-on')
    expect(tags).to.include('continues a-verified-take')
    const linksOf = async (take: string) => {
      const { continues, continuedBy } = await getJson<TakeDetail>(server, `/api/takes/${take}`)
      return { continues, continuedBy }
    }
    expect(await linksOf('a-take-that-goes-on')).to.deep.equal({
      continues: 'a-verified-take',
      continuedBy: [],
    })
    expect(await linksOf('a-verified-take')).to.deep.equal({
      continues: null,
      continuedBy: ['a-take-that-goes-on'],
    })
  })
})
