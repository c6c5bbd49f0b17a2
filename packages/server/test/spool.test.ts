/** What games left: who may bring it in, and what stands in the way. */
import { expect } from 'chai'
import { spawnSync } from 'node:child_process'
import { existsSync, mkdtempSync, readdirSync, renameSync, rmSync, utimesSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import type { LeftFile } from '@lapsus/api'
import { endRecord, spoolName } from '@lapsus/core/format'
import { bytesOf, chunkRecord, declareRecord, node, takeRecord } from '../../core/test/support/takes.ts'
import { LEFT_LYING_MS, Spool } from '../src/ingest/spool.ts'
import type { RunningServer } from '../src/index.ts'
import { testServer, until } from './support.ts'

const PASSWORD = 'a long password'
const MOTHS = 'the-key-of-moth-post'
const access = { password: PASSWORD, ingestKeys: { 'Moth Post': MOTHS, Other: 'the-key-of-the-other' } }
const LONG_AGO = new Date(Date.now() - 60_000)

const recording = (take: string, game = 'Moth Post') =>
  bytesOf([
    takeRecord({ take, game, writer: 'w' }),
    declareRecord(1, [{ name: 'a' }]),
    chunkRecord(2, [{ lanes: [[node(0, 1_000_000)]], restNs: 0 }]),
    endRecord(3),
  ])

describe('what games have left', () => {
  const folder = mkdtempSync(join(tmpdir(), 'lapsus-left-'))
  const basic = { authorization: `Basic ${Buffer.from(`:${PASSWORD}`).toString('base64')}` }
  let server: RunningServer
  before(async () => {
    server = await testServer({ access, spool: folder })
  })
  after(async () => {
    await server.stop()
    rmSync(folder, { recursive: true })
  })
  afterEach(() => {
    for (const name of readdirSync(folder)) rmSync(join(folder, name), { recursive: true })
  })

  /** As a game leaves it, some time ago. @returns its name */
  function leave(take: string, bytes: Uint8Array, key?: string): string {
    const name = spoolName({
      ...{ host: '127.0.0.1', port: Number(new URL(server.address).port), take, writer: 'w', first: 1 },
    })
    if (key !== undefined) writeFileSync(join(folder, `${name}.key`), key)
    writeFileSync(join(folder, `${name}.new`), bytes)
    utimesSync(join(folder, `${name}.new`), LONG_AGO, LONG_AGO)
    renameSync(join(folder, `${name}.new`), join(folder, name))
    return name
  }
  const list = async () =>
    (await (await fetch(`${server.address}/api/left`, { headers: basic })).json()) as LeftFile[]
  const isStored = async (take: string) => (await server.store.takes.count({ where: { id: take } })) > 0

  it('is taken up where its key admits its game, and nothing of it stays', async () => {
    leave('left-with-its-key', recording('left-with-its-key'), MOTHS)
    await until(() => isStored('left-with-its-key'), 'it is taken up')
    await until(() => readdirSync(folder).length === 0, 'nothing stays')
  })

  it('waits without a key, or with a wrong one, until somebody who is signed in brings it in', async () => {
    const none = leave('left-without-a-key', recording('left-without-a-key'))
    const wrong = leave('left-with-a-wrong-key', recording('left-with-a-wrong-key'), 'a-key-of-nothing')
    const others = leave(
      'left-with-anothers-key',
      recording('left-with-anothers-key'),
      'the-key-of-the-other',
    )
    leave('left-with-a-right-key', recording('left-with-a-right-key'), MOTHS)
    // The next round takes up what it may.
    await until(() => isStored('left-with-a-right-key'), 'the one that may is taken up')
    // One that is being stored at this moment is still there.
    const waiting = (await list()).filter(({ reason }) => reason.includes('key'))
    expect(Object.fromEntries(waiting.map(({ file, reason }) => [file, reason]))).to.deep.equal({
      [none]: 'it has no ingest key',
      [wrong]: 'its ingest key is wrong, or of another game',
      [others]: 'its ingest key is wrong, or of another game',
    })
    expect(waiting[0]).to.include({ game: 'Moth Post' })
    for (const take of ['left-without-a-key', 'left-with-a-wrong-key', 'left-with-anothers-key'])
      expect(await isStored(take), take).to.equal(false)
    const at = (file: string) => `${server.address}/api/left/${encodeURIComponent(file)}`
    expect((await fetch(at(none), { method: 'POST' })).status).to.equal(401)
    expect((await fetch(at(none), { method: 'POST', headers: basic })).status).to.equal(204)
    expect(await isStored('left-without-a-key')).to.equal(true)
    expect((await fetch(at(none), { method: 'POST', headers: basic })).status).to.equal(404)
    expect((await fetch(at(wrong), { method: 'DELETE', headers: basic })).status).to.equal(204)
    expect((await list()).map(({ file }) => file)).to.deep.equal([others])
    expect(existsSync(join(folder, `${wrong}.key`))).to.equal(false)
    for (const file of ['../x', '..', 'no-such', `${others}/..`])
      expect((await fetch(at(file), { method: 'DELETE', headers: basic })).status, file).to.equal(404)
  })

  it('is read only where it is a file: a pipe of that name holds nobody up', async () => {
    const pipe = spoolName({
      ...{
        host: '127.0.0.1',
        port: Number(new URL(server.address).port),
        take: 'left-as-a-pipe',
        writer: 'w',
        first: 1,
      },
    })
    for (const name of [pipe, `${pipe}.taken`])
      spawnSync('python3', ['-c', `import os; os.mkfifo('${join(folder, name)}')`])
    leave('left-beside-a-pipe', recording('left-beside-a-pipe'), MOTHS)
    await until(() => isStored('left-beside-a-pipe'), 'the file beside it is taken up')
    await until(async () => (await list()).length === 0, 'none of them waits')
  })
})

describe('a spool', () => {
  const folder = mkdtempSync(join(tmpdir(), 'lapsus-spool-'))
  after(() => rmSync(folder, { recursive: true }))
  const name = spoolName({ host: '127.0.0.1', port: 4780, take: 'left-and-tried', writer: 'w', first: 1 })

  it('tries again what could not be stored, without a restart, later each time', async () => {
    writeFileSync(join(folder, name), recording('left-and-tried'))
    utimesSync(join(folder, name), LONG_AGO, LONG_AGO)
    let tries = 0
    const spool = new Spool(
      folder,
      4780,
      () => true,
      async ({ files }) => (++tries < 3 ? [] : files),
    )
    const { now } = Date
    let aheadMs = 0
    Date.now = () => now() + aheadMs
    try {
      expect(await spool.takeUp()).to.equal(0)
      expect(await spool.takeUp()).to.equal(0)
      expect(tries).to.equal(1)
      expect(spool.list()[0]).to.include({ reason: 'it could not be stored yet' })
      aheadMs = 10_001
      expect(await spool.takeUp()).to.equal(0)
      expect(tries).to.equal(2)
      aheadMs += 10_001
      await spool.takeUp()
      expect(tries).to.equal(2)
      aheadMs += 20_001
      expect(await spool.takeUp()).to.equal(1)
    } finally {
      Date.now = now
    }
  })

  it('takes up what a game had taken that was killed over it, once nobody has said for two minutes that it has it', async () => {
    const taken = `${name}.taken`
    rmSync(join(folder, name), { force: true })
    writeFileSync(join(folder, taken), recording('left-and-tried'))
    utimesSync(join(folder, taken), LONG_AGO, LONG_AGO)
    const asked: string[] = []
    const spool = new Spool(
      folder,
      4780,
      () => true,
      async ({ files }) => (asked.push(...files), files),
    )
    const { now } = Date
    try {
      Date.now = () => now() + LEFT_LYING_MS - 5_000
      await spool.takeUp()
      expect(asked).to.deep.equal([])
      Date.now = () => now() + LEFT_LYING_MS + 5_000
      await spool.takeUp()
      expect(asked).to.deep.equal([name])
    } finally {
      Date.now = now
    }
  })
})
