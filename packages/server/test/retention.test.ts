/** What becomes of takes whose game vanished, and of those that were deleted. */
import { endRecord } from '@lapsus/core/format'
import { expect } from 'chai'
import type { Miniatures, TakeDetail } from '@lapsus/api'
import type { RunningServer } from '../src/index.ts'
import { ABANDONED_AFTER_MS, abandonedTakes, finishTake, touchTake } from '../src/ingest/finish.ts'
import { purgeDeleted } from '../src/serve/queries/takes.ts'
import { chunkRecord, declareRecord, node, takeRecord } from '../../core/test/support/takes.ts'
import { getJson, TestGame, testServer } from './support.ts'

const DAY_MS = 24 * 3600 * 1000
const ago = (ms: number) => new Date(Date.now() - ms)

/** As the server does every few seconds. */
async function closeAbandoned({ store }: RunningServer): Promise<string[]> {
  const found = await abandonedTakes(store)
  for (const { take, state } of found) await finishTake(store, take, state)
  return found.map(({ take }) => take)
}

describe('takes over time', () => {
  let server: RunningServer
  before(async () => {
    server = await testServer()
  })
  after(() => server.stop())

  async function unfinished(id: string): Promise<TestGame> {
    const game = await TestGame.connect(server)
    game.send(takeRecord({ take: id }))
    game.send(declareRecord(1, [{ name: 'sim' }]))
    game.send(chunkRecord(2, [{ lanes: [[node(0, 5_000_000)]], restNs: 0 }]))
    await game.untilAcknowledged(2)
    return game
  }
  const detail = (id: string) => getJson<TakeDetail>(server, `/api/takes/${id}`)

  it('are closed as cut short, with figures, when their game vanished', async () => {
    const game = await unfinished('vanished-take')
    game.vanish()
    expect(await closeAbandoned(server)).to.deep.equal([])
    expect(await detail('vanished-take')).to.include({ state: 'recording', figures: null })
    await server.store.takes.update(
      { touchedAt: ago(ABANDONED_AFTER_MS + 1_000) },
      { where: { id: 'vanished-take' } },
    )
    expect(await closeAbandoned(server)).to.deep.equal(['vanished-take'])
    const closed = await detail('vanished-take')
    expect(closed.state).to.equal('cut-short')
    expect(closed.figures!.work.worst).to.equal(5)
    const pictures = await getJson<Miniatures>(server, '/api/miniatures?takes=vanished-take')
    expect(pictures['vanished-take']!.worstUs).to.deep.equal([5_000])
  })

  it('stay open while their game is connected, however long it pauses', async () => {
    const game = await unfinished('paused-take')
    await server.store.takes.update(
      { touchedAt: ago(ABANDONED_AFTER_MS + 1_000) },
      { where: { id: 'paused-take' } },
    )
    // What an open stream does every few seconds.
    await touchTake(server.store, 'paused-take')
    expect(await closeAbandoned(server)).to.deep.equal([])
    game.vanish()
  })

  it('go on when their game comes back after they were closed', async () => {
    const game = await unfinished('returned-take')
    game.vanish()
    await server.store.takes.update(
      { touchedAt: ago(ABANDONED_AFTER_MS + 1_000) },
      { where: { id: 'returned-take' } },
    )
    await closeAbandoned(server)
    const again = await TestGame.connect(server)
    again.send(takeRecord({ take: 'returned-take' }))
    await again.untilAcknowledged(2)
    again.send(chunkRecord(3, [{ lanes: [[node(0, 7_000_000)]], restNs: 0 }], 6_000_000))
    await again.untilAcknowledged(3)
    expect(await detail('returned-take')).to.include({ state: 'recording', frames: 2 })
    again.send(endRecord(4, 0))
    await again.untilAcknowledged(4)
  })

  it('are gone for good, with all they consist of, a month after they were deleted', async () => {
    const game = await unfinished('deleted-take')
    game.vanish()
    await fetch(`${server.address}/api/takes/deleted-take`, { method: 'DELETE' })
    expect(await purgeDeleted(server.store)).to.equal(0)
    await server.store.takes.update({ deletedAt: ago(31 * DAY_MS) }, { where: { id: 'deleted-take' } })
    expect(await purgeDeleted(server.store)).to.equal(1)
    for (const count of [
      await server.store.takes.count({ where: { id: 'deleted-take' } }),
      await server.store.chunks.count({ where: { takeId: 'deleted-take' } }),
      await server.store.markers.count({ where: { takeId: 'deleted-take' } }),
    ]) {
      expect(count).to.equal(0)
    }
  })

  it('are not written to once they are deleted', async () => {
    const game = await unfinished('refused-take')
    await fetch(`${server.address}/api/takes/refused-take`, { method: 'DELETE' })
    game.send(chunkRecord(3, [{ lanes: [[node(0, 1)]], restNs: 0 }], 9_000_000))
    await game.untilClosed()
    const again = await TestGame.connect(server)
    again.send(takeRecord({ take: 'refused-take' }))
    await again.untilClosed()
    expect(again.messages.some((message) => 'refused' in message)).to.equal(true)
  })
})
