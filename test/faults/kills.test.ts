/** kill −9 of any process of the product, or of a game, at any time: nothing that was acknowledged is lost. */
import { expect } from 'chai'
import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import type { TakeDetail } from '@lapsus/api'
import { freePort } from '../../scripts/setup/database.mjs'
import { isLong } from '../support/extent.ts'
import { addressOf, isAlive, isHealthy, pause, processOf, run, says, type Run } from '../support/npm-start.ts'
import { report, SEED } from './support/extent.ts'
import { brokenIn, numbersOf } from './support/frames.ts'
import { Game } from './support/game.ts'
import { randomOf } from './support/random.ts'

/** After so many, the game that lives through them ends its take and begins another. */
const KILLS_A_TAKE = 20
const VICTIMS = [
  'server',
  'database',
  'supervisor',
  'sender',
  'server and database',
  'sender and server',
] as const
/** Each at least once. */
const KILLS = isLong ? 210 : VICTIMS.length
/** The supervisor gives a part up after five ends within a minute. */
const MOST_ENDS = 4
const WINDOW_MS = 60_000
/** A kill comes at any time until so long after the one before: also while things are being started again. */
const LONGEST_PAUSE_MS = 4_000
const RECOVERY_MS = 60_000

describe('kills at random points', function () {
  this.timeout(KILLS * 30_000 + 120_000)
  const state = mkdtempSync(join(tmpdir(), 'lapsus-kills-'))
  const env: Record<string, string | undefined> = {
    LAPSUS_STATE: state,
    XDG_STATE_HOME: state,
    LAPSUS_FIRST_TAKE_S: '1',
    DATABASE_URL: undefined,
  }
  let product: Run
  const games: Game[] = []

  after(async () => {
    for (const game of games) await game.kill()
    product?.child.kill('SIGTERM')
    await product?.ended
    rmSync(state, { recursive: true, force: true })
  })

  it(`${KILLS} of them lose nothing that was acknowledged, and no frame of a game that lives on`, async () => {
    const random = randomOf(SEED)
    // One of its own, which nobody else takes while the server is down.
    env['PORT'] = String(await freePort())
    product = run('start.mjs', [], env)
    await says(product, 'Lapsus is at')
    const address = addressOf(product)
    const counts = new Map<string, number>()
    const killed: { take: string; acknowledged: number }[] = []
    const finished: { take: string; made: number }[] = []
    const ends = { server: [] as number[], database: [] as number[] }
    let takes = 0
    const begin = () => {
      const game = new Game(address, `kills-${SEED}-${process.pid}-${takes++}`)
      games.push(game)
      return game
    }
    const finish = async (game: Game) => {
      await healthy('before a game ends')
      finished.push({ take: game.take, made: await game.finish() })
    }

    const healthy = async (when: string) => {
      const deadline = Date.now() + RECOVERY_MS
      while (!(await isHealthy(address))) {
        if (Date.now() > deadline) throw new Error(`not well again ${when}:\n${product.output()}`)
        await pause(50)
      }
    }
    const kill = (part: 'server' | 'database') => {
      const pid = processOf(product, part)
      if (!isAlive(pid)) return
      process.kill(pid, 'SIGKILL')
      ends[part].push(Date.now())
    }
    const mayEnd = (part: 'server' | 'database') =>
      ends[part].filter((ms) => Date.now() - ms < WINDOW_MS).length < MOST_ENDS
    const allowed = (victim: string) =>
      (['server', 'database'] as const).every((part) => !victim.includes(part) || mayEnd(part))

    // One lives through everything, and one is a victim itself.
    let steady = begin()
    let mortal = begin()
    for (let i = 0; i < KILLS; i++) {
      await pause(random.next() * LONGEST_PAUSE_MS)
      const victim = VICTIMS[i] ?? random.pick(VICTIMS.filter(allowed))
      counts.set(victim, (counts.get(victim) ?? 0) + 1)
      if (victim.includes('server')) kill('server')
      if (victim.includes('database')) kill('database')
      if (victim === 'supervisor') {
        product.child.kill('SIGKILL')
        await product.ended
        product = run('start.mjs', [], env)
        ends.server = []
        ends.database = []
      }
      if (victim.includes('sender')) {
        await mortal.kill()
        killed.push({ take: mortal.take, acknowledged: mortal.said('acknowledged') })
        mortal = begin()
      }
      if (i % KILLS_A_TAKE === KILLS_A_TAKE - 1) {
        await finish(steady)
        steady = begin()
      }
    }
    await healthy('after the last kill')
    await finish(steady)
    await finish(mortal)

    let frames = 0
    for (const { take, made } of finished) {
      const numbers = await numbersOf(address, take)
      expect(brokenIn(numbers), take).to.deep.equal([])
      expect(numbers.length, take).to.equal(made)
      const detail = (await (await fetch(`${address}/api/takes/${take}`)).json()) as TakeDetail
      expect(detail.state, take).to.equal('complete')
      frames += made
    }
    expect(frames).to.be.above(0)
    let acknowledgedFrames = 0
    for (const { take, acknowledged } of killed) {
      acknowledgedFrames += acknowledged
      // A game that is killed before its first word has no take.
      if (acknowledged === 0) continue
      const numbers = await numbersOf(address, take)
      expect(brokenIn(numbers), take).to.deep.equal([])
      expect(numbers.length, take).to.be.at.least(acknowledged)
    }
    report('kills', {
      ...Object.fromEntries(VICTIMS.map((victim) => [victim, counts.get(victim) ?? 0])),
      kills: KILLS,
      finishedTakes: finished.length,
      finishedFrames: frames,
      killedTakes: killed.length,
      acknowledgedFrames,
    })
  })
})
