/** The real probe against the real server, through a restart of the server. */
import { expect } from 'chai'
import type { TakeDetail } from '@lapsus/api'
import { decodeFrames } from '@lapsus/core/take'
import { freePort } from '../../../scripts/setup/database.mjs'
import { createProbe } from '../../probe/src/node.ts'
import { detourTo, freshDatabase, getJson, testServer } from './support.ts'

const FRAMES = 240
/** Longer than a game that ends waits for a silent server. */
const SLOW_MS = 3_000

describe('probe and server', () => {
  it('lose no frame when the server is stopped and started again', async () => {
    const databaseUrl = await freshDatabase()
    // One that nobody else takes while the server is down.
    const port = await freePort()
    let server = await testServer({ databaseUrl, port })
    const problems: string[] = []
    const probe = createProbe({
      game: 'Goes on',
      to: server.address.replace('http', 'ws'),
      onProblem: (problem) => problems.push(problem),
    })
    const marker = probe.marker('m')
    for (let frame = 0; frame < FRAMES; frame++) {
      probe.frame()
      probe.run(marker, () => {})
      if (frame === 100) await server.stop()
      if (frame === 160) server = await testServer({ databaseUrl, port })
      await new Promise((resolve) => setTimeout(resolve, 10))
    }
    await probe.close()
    const [take] = await getJson<TakeDetail[]>(server, '/api/takes')
    expect(take).to.include({ game: 'Goes on', frames: FRAMES, dropped: 0, state: 'complete' })
    const bytes = await (await fetch(`${server.address}/api/takes/${take!.id}/frames`)).arrayBuffer()
    const { startNs, durationNs } = decodeFrames(new Uint8Array(bytes))
    for (let frame = 1; frame < FRAMES; frame++) {
      expect(startNs[frame], `frame ${frame}`).to.be.closeTo(startNs[frame - 1]! + durationNs[frame - 1]!, 2)
    }
    expect(problems.filter((problem) => !problem.includes('trying again'))).to.deep.equal([])
    await server.stop()
  })

  it('lose no frame when the game ends while the database is slow', async function () {
    // A game waits two seconds at its end; this machine may stand still for longer.
    this.retries(2)
    let delayMs: number | null = 0
    const detour = await detourTo(await freshDatabase(), () => delayMs)
    const server = await testServer({ databaseUrl: detour.url })
    const problems: string[] = []
    const probe = createProbe({
      game: 'Ends',
      to: server.address.replace('http', 'ws'),
      onProblem: (problem) => problems.push(problem),
    })
    const marker = probe.marker('m')
    for (let frame = 0; frame < FRAMES; frame++) {
      if (frame === FRAMES - 20) delayMs = null
      probe.frame()
      probe.run(marker, () => {})
      await new Promise((resolve) => setTimeout(resolve, 10))
    }
    setTimeout(() => (delayMs = 0), SLOW_MS)
    await probe.close()
    expect(problems).to.deep.equal([])
    const [take] = await getJson<TakeDetail[]>(server, '/api/takes')
    expect(take).to.include({ game: 'Ends', frames: FRAMES, dropped: 0, state: 'complete' })
    await server.stop()
    await detour.stop()
  })
})
