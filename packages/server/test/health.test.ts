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

  it('is away on a node that has lost its cluster, and good on one that is ready', async () => {
    // A database without a cluster that is made to say it is a node: it says by itself that it is not ready.
    let isReady = false
    let refusing = false
    const yes = (text: string, question: string) =>
      text.replace(question, "SELECT 'ON' AS Value".padEnd(question.length))
    const way = await detourTo(
      await freshDatabase(),
      () => 0,
      (piece) => {
        const text = piece.toString('latin1').replace(refusing ? 'SELECT 1' : 'no question', 'REFUSE 1')
        const isNode = yes(text, "SHOW VARIABLES LIKE 'wsrep_on'")
        return Buffer.from(isReady ? yes(isNode, "SHOW STATUS LIKE 'wsrep_ready'") : isNode, 'latin1')
      },
    )
    stopping.push(way.stop)
    const health = healthOf(way.url)
    const alone = { status: 'away', reason: 'the node of the database has lost its cluster' }
    expect(await inTime(health.check())).to.deep.equal(alone)
    expect(health.mayStore).to.equal(false)
    // Of several nodes another is asked; also where this one refuses every question, as some do.
    const other = new URL(await freshDatabase()).host
    const several = way.url.replace(new URL(way.url).host, `${new URL(way.url).host},${other}`)
    for (refusing of [false, true])
      expect(await inTime(healthOf(several).check())).to.deep.equal({ status: 'ok', reason: null })
    const { reason } = await inTime(healthOf(way.url).check())
    expect(reason).to.match(/^the database cannot be reached: /)
    refusing = false
    isReady = true
    expect(await inTime(health.check())).to.deep.equal({ status: 'ok', reason: null })
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
