/** What a game could not deliver before it ended is brought in by whoever recorded it. */
import { expect } from 'chai'
import type { ChildProcess } from 'node:child_process'
import { existsSync, readdirSync, readFileSync, rmSync } from 'node:fs'
import { join } from 'node:path'
import type { TakeSummary } from '@lapsus/api'
import { jsonLine } from '@lapsus/core/exchange'
import { endRecord, readSpoolName, spoolName, type AnyRecord } from '@lapsus/core/format'
import { bytesOf, chunkRecord, declareRecord, node, takeRecord } from '../../core/test/support/takes.ts'
import { getJson, testServer, until } from '../../server/test/support.ts'
import type { RunningServer } from '../../server/src/index.ts'
import { BATS, lapsus, standBefore, testFolder } from './support.ts'

const { folder, file } = testFolder()
const spool = join(folder, 'spool')
const hasEnded = join(folder, 'ended')
const left = () => (existsSync(spool) ? readdirSync(spool) : [])
/** A program after which there is a file. */
const thenEnds = (command: string[]) => ['sh', '-c', '"$@"; touch "$0"', hasEnded, ...command]

/** As long as those that `lapsus record` makes. */
const NO_TAKE = '00000000-0000-4000-8000-000000000000'
const LEAVE = `
const { mkdirSync, readFileSync, renameSync, writeFileSync } = require('node:fs')
const take = process.env.LAPSUS_TAKE
const [template, name] = process.argv.slice(1)
mkdirSync(process.env.LAPSUS_SPOOL, { recursive: true })
const text = readFileSync(template, 'latin1').replaceAll('${NO_TAKE}', take)
const path = process.env.LAPSUS_SPOOL + '/' + name.replace('${NO_TAKE}', take)
writeFileSync(path + '.new', text, 'latin1')
renameSync(path + '.new', path)`

/** A program that leaves such a spool file, and does nothing else. @param end of the file's name */
function leaves(bytes: Uint8Array, end = ''): string[] {
  const lines = bytes[0] === 0x7b
  const name = spoolName({ host: '127.0.0.1', port: 1, take: NO_TAKE, writer: 'writer', first: 1, lines })
  return [process.execPath, '-e', LEAVE, file('left.spool', bytes), name + end]
}

const FRAMES = 3_000
/** Of more than one body of a request. */
const records = (): AnyRecord[] => [
  takeRecord({ take: NO_TAKE }),
  declareRecord(1, [{ name: 'sim' }]),
  ...Array.from({ length: 3 }, (_, i) =>
    chunkRecord(
      i + 2,
      Array.from({ length: FRAMES / 3 }, () => ({
        lanes: [Array.from({ length: 60 }, () => node(0, 1_001))],
        restNs: 17,
      })),
      i * (FRAMES / 3) * (60 * 1_001 + 17),
    ),
  ),
  endRecord(5, 0),
]

describe('lapsus record, where the game could not deliver its end', () => {
  let server: RunningServer
  let env: Record<string, string>
  before(async () => {
    server = await testServer()
    env = { LAPSUS_URL: server.address, LAPSUS_SPOOL: spool }
  })
  after(() => server.stop())
  beforeEach(() => rmSync(hasEnded, { force: true }))
  afterEach(() => rmSync(spool, { recursive: true, force: true }))

  /** The take that is told as recorded. */
  const recorded = (err: string) =>
    getJson<TakeSummary>(server, `/api/takes/${/\/takes\/(\S+)/.exec(err)![1]}`)

  it('brings it in, and tries again where Lapsus is too busy', async () => {
    const answers = [null, 503, 409]
    const busy = await standBefore(server, ({ url }, response) => {
      if (!url!.startsWith('/ingest/')) return false
      // While the game runs nothing is answered.
      if (!existsSync(hasEnded)) return true
      const status = answers.shift()
      if (status === undefined) return false
      if (status === null) response.destroy()
      else response.writeHead(status).end('{"detail":"not now","ack":0}')
      return true
    })
    const { code, err } = await lapsus(['record', '--', ...thenEnds(BATS)], {
      ...env,
      LAPSUS_URL: busy.address,
    })
    busy.stop()
    expect(code, err).to.equal(0)
    expect(err).to.match(/are not delivered; they are kept in/)
    expect(err).to.contain('lapsus: brought in what the game could not deliver')
    expect(err).to.contain('recorded 20 frames')
    expect(answers).to.deep.equal([])
    expect(left()).to.deep.equal([])
    expect(await recorded(err)).to.include({ frames: 20, state: 'complete' })
  })

  for (const [form, bytes] of [
    ['records', bytesOf(records())],
    ['lines', Buffer.from(records().map(jsonLine).join('') + '{"record":"cut')],
  ] as const)
    it(`brings in ${form}, in as many requests as they need`, async () => {
      let requests = 0
      const counts = await standBefore(server, ({ url }) => {
        if (url!.startsWith('/ingest/')) requests++
        return false
      })
      const { code, err } = await lapsus(['record', '--', ...leaves(bytes)], {
        ...env,
        LAPSUS_URL: counts.address,
      })
      counts.stop()
      expect(code, err).to.equal(0)
      expect(err).to.contain(`recorded ${FRAMES.toLocaleString('en')} frames`)
      expect(requests).to.be.above(1)
      expect(left()).to.deep.equal([])
      expect(await recorded(err)).to.include({ frames: FRAMES, state: 'complete' })
    })

  it('keeps what is refused, and says why', async () => {
    const [take, ...others] = records()
    const { code, err } = await lapsus(
      ['record', '--', ...leaves(bytesOf([take!, { ...others[0]!, sequence: 1.5 } as AnyRecord, ...others]))],
      env,
    )
    expect(code, err).to.equal(0)
    expect(err).to.match(/what the game could not deliver is kept in .+\.spool\.refused: .*sequence/)
    expect(left().map((name) => name.replace(/.*~1/, ''))).to.deep.equal(['.spool.refused'])
  })

  it('leaves it as it was when it is ended meanwhile', async () => {
    const silent = await standBefore(server, ({ url }) => url!.startsWith('/ingest/'))
    let child: ChildProcess
    const running = lapsus(
      ['record', '--', ...leaves(bytesOf(records()))],
      { ...env, LAPSUS_URL: silent.address },
      (begun) => (child = begun),
    )
    await until(() => left().some((name) => name.endsWith('.taken')), 'it is being brought in')
    child!.kill('SIGINT')
    expect((await running).code).to.equal(130)
    silent.stop()
    expect(left().map((name) => name.replace(/.*~1/, ''))).to.deep.equal(['.spool'])
  })

  it('waits for what a Lapsus on this machine has taken up', async () => {
    const running = lapsus(['record', '--', ...leaves(bytesOf(records()), '.taken')], env)
    const taken = () => left().find((name) => name.endsWith('.taken'))
    await until(() => taken() !== undefined, 'the game has ended')
    const path = join(spool, taken()!)
    const { take } = readSpoolName(taken()!.replace('.taken', ''))!
    const body = readFileSync(path)
    await new Promise((resolve) => setTimeout(resolve, 500))
    await fetch(`${server.address}/ingest/${take}`, { method: 'POST', body })
    rmSync(path)
    const { code, err } = await running
    expect(code, err).to.equal(0)
    expect(err).to.not.contain('could not deliver')
    expect(err).to.contain(`recorded ${FRAMES.toLocaleString('en')} frames`)
  })
})
