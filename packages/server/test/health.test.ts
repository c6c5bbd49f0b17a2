import { expect } from 'chai'
import { pino } from 'pino'
import { DatabaseHealth, LEAST_ROOM_BYTES } from '../src/store/health.ts'
import { detourTo, freshDatabase, until } from './support.ts'

const log = pino({ level: 'silent' })
/** Longer than anybody should wait; aimed at is a second. */
const PATIENCE_MS = 3_000

describe('health of the database', () => {
  const stopping: (() => Promise<unknown>)[] = []
  afterEach(async () => {
    for (const stop of stopping.splice(0).reverse()) await stop()
  })

  function healthOf(url: string, folder: string | null = null): DatabaseHealth {
    const health = new DatabaseHealth(url, folder, log)
    stopping.push(() => health.stop())
    return health
  }

  async function detour(url: string, delayMs: () => number | null): Promise<string> {
    const way = await detourTo(url, delayMs)
    stopping.push(way.stop)
    return way.url
  }

  const inTime = <T>(work: Promise<T>): Promise<T> =>
    Promise.race([
      work,
      new Promise<never>((_, reject) => setTimeout(() => reject(new Error('too late')), PATIENCE_MS)),
    ])

  it('is good when the database answers, and when it is slow', async () => {
    const url = await freshDatabase()
    expect(await healthOf(url).check()).to.deep.equal({ status: 'ok', reason: null })
    const slow = healthOf(await detour(url, () => 120))
    slow.start()
    for (let i = 0; i < 3; i++) {
      await new Promise((resolve) => setTimeout(resolve, 500))
      expect(slow.now.status).to.equal('ok')
    }
  })

  it('says in time that the database is silent, turns work away, and finds it again', async () => {
    let isSilent = false
    const health = healthOf(await detour(await freshDatabase(), () => (isSilent ? null : 0)))
    health.start()
    expect((await health.check()).status).to.equal('ok')
    isSilent = true
    const silent = { status: 'away', reason: 'the database does not answer' }
    expect(await inTime(health.check())).to.deep.equal(silent)
    const forever = () => new Promise<never>(() => {})
    const turnedAway = await inTime(
      health.whileItAnswers(forever, (reason) => new Error(reason)).catch((error: Error) => error.message),
    )
    expect(turnedAway).to.equal(silent.reason)
    expect(health.mayStore).to.equal(false)
    isSilent = false
    await until(() => health.now.status === 'ok', 'it is found again')
  })

  it('says that it cannot be reached', async () => {
    const health = healthOf('mariadb://a:b@127.0.0.1:1/none')
    const { status, reason } = await inTime(health.check())
    expect(status).to.equal('away')
    expect(reason).to.match(/^the database cannot be reached: .*ECONNREFUSED/)
    expect(reason).not.to.contain('a:b')
  })

  it('is degraded for a while after a write found no room, and until one succeeds', async () => {
    const health = healthOf(await freshDatabase())
    await health.check()
    health.full('table is full')
    expect(health.now).to.deep.equal({ status: 'degraded', reason: 'nothing can be stored: table is full' })
    health.stored()
    expect(health.now.status).to.equal('ok')
  })

  it('asks for room where the database is', async () => {
    // No memory file system has as much as that, and none of a process's own files takes part of it.
    const health = healthOf(await freshDatabase(), '/proc')
    const { status, reason } = await health.check()
    expect(status).to.equal('degraded')
    expect(reason).to.contain(`0 MB are free where the database is, ${LEAST_ROOM_BYTES / 2 ** 20} are needed`)
    expect(health.mayStore).to.equal(false)
  })
})
