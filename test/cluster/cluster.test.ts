/**
 * Three nodes of a real cluster, two servers, eight games: a node is killed, a server is killed, a node hangs and comes
 * back. Run by `npm run test:cluster`.
 */
import { expect } from 'chai'
import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { decodeCbor } from '@lapsus/core/format'
import { startCluster, type Cluster } from '../../scripts/setup/cluster.mjs'
import { pause } from '../support/npm-start.ts'
import { report } from '../faults/support/extent.ts'
import { brokenIn, numbersOf } from '../faults/support/frames.ts'
import { Game } from '../faults/support/game.ts'
import { forkServer, type ServerProcess } from '../faults/support/server.ts'

const GAMES = 8
const LOAD = { frameMs: 1000 / 60, spans: 500 }
/** Recorded before the first blow, and after each. */
const CALM_MS = 8_000
const HUNG_MS = 20_000
/** What takes longer has not gone on. */
const GIVE_UP_MS = 60_000

describe('a cluster', function () {
  this.timeout(600_000)
  const folder = mkdtempSync(join(tmpdir(), 'lapsus-cluster-test-'))
  let cluster: Cluster
  let servers: ServerProcess[] = []
  let games: Game[] = []

  before(async () => {
    cluster = await startCluster()
    // Both at once: one of them brings the database up to date.
    servers = await Promise.all(
      [1, 2].map((n) =>
        forkServer(cluster.url, join(folder, String(n)), { LAPSUS_SPOOL: join(folder, 'spool') }),
      ),
    )
  })
  after(async () => {
    for (const game of games) await game.kill()
    for (const server of servers) if (server.isAlive()) await server.stop()
    await cluster?.stop()
    rmSync(folder, { recursive: true, force: true })
  })

  /** How long until every game has more frames acknowledged than it had made by now, ms. */
  async function goesOn(): Promise<number> {
    const beganMs = performance.now()
    // A game is never more than a second ahead of what it sends.
    const before = games.map((game) => game.said('acknowledged') + 1000 / LOAD.frameMs)
    for (const [i, game] of games.entries()) {
      while (game.said('acknowledged') <= before[i]!) {
        if (performance.now() - beganMs > GIVE_UP_MS)
          throw new Error(`${game.take} does not go on: ${game.problems.join('; ')}`)
        await pause(20)
      }
    }
    return performance.now() - beganMs
  }

  /** Frames that the live view of a game has, as the server tells. */
  async function liveFrames({ address }: ServerProcess, { take }: Game): Promise<number> {
    const response = await fetch(`${address}/api/takes/${take}/live?from=0`)
    if (!response.ok) return -1
    return (decodeCbor(new Uint8Array(await response.arrayBuffer())) as { totalFrames: number }).totalFrames
  }

  async function liveGoesOn(server: ServerProcess): Promise<number> {
    const beganMs = performance.now()
    const before = await liveFrames(server, games[0]!)
    while ((await liveFrames(server, games[0]!)) <= before) {
      if (performance.now() - beganMs > GIVE_UP_MS) throw new Error('the live view does not go on')
      await pause(50)
    }
    return performance.now() - beganMs
  }

  it('loses no frame, whichever node or server dies or hangs', async () => {
    const [one, other] = servers as [ServerProcess, ServerProcess]
    const addresses = [`${one.address},${other.address}`, `${other.address},${one.address}`]
    games = Array.from(
      { length: GAMES },
      (_, i) => new Game(addresses[i % 2]!, `cluster-${process.pid}-${i}`, LOAD),
    )
    for (const game of games) await game.untilAcknowledged(0)
    await pause(CALM_MS)
    const calmMs = await goesOn()

    cluster.nodes[0]!.signal('SIGKILL')
    const nodeMs = await goesOn()
    const liveMs = await liveGoesOn(other)
    await cluster.nodes[0]!.restart()
    await pause(CALM_MS)

    process.kill(one.pid, 'SIGKILL')
    await one.ended
    const serverMs = await goesOn()
    const serverLiveMs = await liveGoesOn(other)
    await pause(CALM_MS)

    const hung = cluster.nodes[1]!
    hung.signal('SIGSTOP')
    const hungMs = await goesOn()
    await pause(Math.max(0, HUNG_MS - hungMs))
    hung.signal('SIGCONT')
    const backMs = await goesOn()
    await pause(CALM_MS)

    let frames = 0
    for (const game of games) {
      const acknowledged = game.said('acknowledged')
      const made = await game.finish()
      const numbers = await numbersOf(other.address, game.take)
      expect(brokenIn(numbers), game.take).to.deep.equal([])
      expect(numbers.length, `${game.take}: ${game.problems.join('; ')}`).to.equal(made)
      expect(numbers.length).to.be.at.least(acknowledged)
      frames += numbers.length
    }
    games = []
    const figures = { calmMs, nodeMs, liveMs, serverMs, serverLiveMs, hungMs, backMs }
    report('cluster', {
      frames,
      ...Object.fromEntries(Object.entries(figures).map(([name, ms]) => [name, Math.round(ms)])),
    })
    console.log({ frames, ...figures })
  })
})
