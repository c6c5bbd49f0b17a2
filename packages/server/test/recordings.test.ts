/** Demo recordings that this server starts: no more at once than may be, the others in line. */
import { expect } from 'chai'
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { pino } from 'pino'
import type { Recording, RecordingRequest } from '@lapsus/api'
import type { RunningServer } from '../src/index.ts'
import { Recordings } from '../src/recordings/recordings.ts'
import { testServer, until } from './support.ts'

const REQUEST: RecordingRequest = {
  seconds: 60,
  seed: 1,
  flaws: [],
  trial: '',
  letters: 1,
  moths: 1,
  name: '',
  target: 60,
  mode: 'timing',
  tripMs: 30,
  keepSeconds: 5,
  handset: false,
  routes: 'sliced',
  graphicsMs: 0,
  ramp: false,
}

describe('demo recordings', () => {
  const folder = mkdtempSync(join(tmpdir(), 'lapsus-recordings-'))
  /** A game that does nothing until it is told to end. */
  const script = join(folder, 'game.mjs')
  let server: RunningServer
  let recordings: Recordings
  before(async () => {
    writeFileSync(script, "setInterval(() => {}, 1000); process.on('SIGTERM', () => process.exit(0))")
    server = await testServer()
  })
  beforeEach(() => {
    recordings = new Recordings(server.store, script, 'key', pino({ level: 'silent' }), 2)
  })
  afterEach(() => recordings.stopAll())
  after(async () => {
    await server.stop()
    rmSync(folder, { recursive: true, force: true })
  })

  const states = async (those: Recording[]) =>
    Promise.all(those.map(async ({ id }) => (await recordings.get(id))!.state))
  async function start(count: number): Promise<Recording[]> {
    const all: Recording[] = []
    for (let i = 0; i < count; i++) all.push(await recordings.start(REQUEST))
    return all
  }

  it('wait in line while there are as many as may be, and begin in order', async () => {
    const all = await start(4)
    expect(await states(all)).to.deep.equal(['starting', 'starting', 'waiting', 'waiting'])
    await recordings.stop(all[0]!.id)
    await until(async () => (await states(all))[2] === 'starting', 'the next begins')
    expect((await states(all))[3]).to.equal('waiting')
    await recordings.stop(all[1]!.id)
    await until(async () => (await states(all))[3] === 'starting', 'the last begins')
  })

  it('can be called off while they wait, and never begin then', async () => {
    const [first, second, third, fourth] = (await start(4)) as [Recording, Recording, Recording, Recording]
    expect((await recordings.stop(third.id))!.state).to.equal('called-off')
    await recordings.stop(first.id)
    await until(async () => (await states([fourth]))[0] === 'starting', 'the one after it begins')
    expect(await states([second, third])).to.deep.equal(['starting', 'called-off'])
  })

  it('are known to other servers, which can stop them, and tell of those whose server is gone', async () => {
    const other = new Recordings(server.store, script, 'key', pino({ level: 'silent' }), 2)
    const [running, , waiting] = (await start(3)) as [Recording, Recording, Recording]
    expect((await other.list()).slice(0, 3).map(({ id }) => id)).to.include.members([running.id, waiting.id])
    expect((await other.get(waiting.id))!.state).to.equal('waiting')
    await other.stop(waiting.id)
    await until(async () => (await other.get(waiting.id))!.state === 'called-off', 'it is called off')
    await other.stop(running.id)
    await until(async () => (await other.get(running.id))!.state === 'done', 'it ends')
    expect(await other.get('no-such')).to.equal(null)
    const [left] = await start(1)
    await recordings.stopAll()
    await server.store.recordings.update(
      { state: 'starting', touchedAt: new Date(Date.now() - 11_000) },
      { where: { id: left!.id } },
    )
    expect(await other.get(left!.id)).to.include({
      state: 'failed',
      message: 'the server that had started the game is gone',
    })
    await other.stopAll()
  })

  it('all end with the server, those in line too', async () => {
    const all = await start(4)
    await recordings.stopAll()
    const ended = await states(all)
    expect(ended.slice(2)).to.deep.equal(['called-off', 'called-off'])
    for (const state of ended.slice(0, 2)) expect(state).to.be.oneOf(['done', 'failed'])
  })
})
