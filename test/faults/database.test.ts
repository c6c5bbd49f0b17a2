/** The database hangs, is gone, or has no room left: health says so, games wait, and everything goes on by itself. */
import { expect } from 'chai'
import { spawnSync } from 'node:child_process'
import { appendFileSync, mkdirSync, mkdtempSync, rmSync, statfsSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import type { Problem } from '@lapsus/api'
import { startDatabase, type Database } from '../../scripts/setup/database.mjs'
import { isLong } from '../support/extent.ts'
import { pause } from '../support/npm-start.ts'
import { report, SEED } from './support/extent.ts'
import { brokenIn, numbersOf } from './support/frames.ts'
import { Game } from './support/game.ts'
import { randomOf } from './support/random.ts'
import { forkServer, type ServerProcess } from './support/server.ts'

const ROUNDS = isLong ? 20 : 1
const FULL_ROUNDS = isLong ? 6 : 1
/** Whoever answers later than this does not count as answering. Aimed at are 1 s for health, 2 s for a full disk. */
const PATIENCE_MS = 3_000
const MB = 2 ** 20
/** MariaDB's own files take some 400 MB. */
const DISK_MB = 900

interface Health {
  status: string
  reason?: string
}

async function healthOf(address: string): Promise<Health & { code: number; ms: number }> {
  const began = performance.now()
  const answer = await fetch(`${address}/health`, { signal: AbortSignal.timeout(PATIENCE_MS) })
  return { ...((await answer.json()) as Health), code: answer.status, ms: performance.now() - began }
}

/** Asks until health is as wanted. @returns ms until it was, and the longest it took to answer */
async function untilHealth(address: string, status: string, patienceMs: number) {
  const began = performance.now()
  let slowestMs = 0
  for (;;) {
    const health = await healthOf(address)
    slowestMs = Math.max(slowestMs, health.ms)
    const tookMs = performance.now() - began
    if (health.status === status) return { ...health, tookMs, slowestMs }
    if (tookMs > patienceMs) throw new Error(`health is ${JSON.stringify(health)}, expected ${status}`)
    await pause(20)
  }
}

async function expectWhole(address: string, game: Game, made: number): Promise<void> {
  const numbers = await numbersOf(address, game.take)
  expect(brokenIn(numbers)).to.deep.equal([])
  expect(numbers.length).to.equal(made).and.to.be.above(0)
}

describe('a database that fails', function () {
  this.timeout(120_000 + ROUNDS * 20_000)
  const folder = mkdtempSync(join(tmpdir(), 'lapsus-database-'))
  const random = randomOf(SEED)
  let database: Database
  let server: ServerProcess
  let game: Game | null = null

  before(async () => {
    database = await startDatabase(join(folder, 'mariadb'))
    server = await forkServer(database.url, folder)
  })
  afterEach(async () => {
    await game?.kill()
    game = null
  })
  after(async () => {
    await server?.stop()
    await database?.stop()
    rmSync(folder, { recursive: true, force: true })
  })

  /** What every request but health is answered meanwhile. */
  async function expectAway(words: string): Promise<void> {
    for (const path of ['/api/takes', '/api/games', '/api/takes/none/ledger?from=0&to=0']) {
      const answer = await fetch(server.address + path, { signal: AbortSignal.timeout(PATIENCE_MS) })
      expect(answer.status, path).to.equal(503)
      expect(Number(answer.headers.get('retry-after'))).to.be.above(0)
      expect(answer.headers.get('content-type')).to.contain('application/problem+json')
      expect(((await answer.json()) as Problem).detail).to.contain(words)
    }
  }

  it(`hangs ${ROUNDS} times: health and requests say so in time, and nothing is lost`, async () => {
    game = new Game(server.address, `hung-${SEED}-${process.pid}`)
    let noticedMs = 0
    let slowestMs = 0
    for (let i = 0; i < ROUNDS; i++) {
      await game.untilAcknowledged(game.said('acknowledged'))
      await pause(random.next() * 500)
      process.kill(database.pid, 'SIGSTOP')
      try {
        const away = await untilHealth(server.address, 'away', PATIENCE_MS)
        expect(away).to.include({ code: 503, reason: 'the database does not answer' })
        noticedMs = Math.max(noticedMs, away.tookMs)
        slowestMs = Math.max(slowestMs, away.slowestMs)
        await expectAway('the database does not answer')
        await pause(random.next() * 3_000)
        slowestMs = Math.max(slowestMs, (await healthOf(server.address)).ms)
      } finally {
        process.kill(database.pid, 'SIGCONT')
      }
      await untilHealth(server.address, 'ok', 20_000)
      await game.untilAcknowledged(game.said('acknowledged'))
    }
    const made = await game.finish()
    await expectWhole(server.address, game, made)
    report('hung', {
      times: ROUNDS,
      frames: made,
      noticedMs: Math.round(noticedMs),
      slowestMs: Math.round(slowestMs),
    })
  })

  it('is gone: the same, until it is started again', async () => {
    game = new Game(server.address, `gone-${SEED}-${process.pid}`)
    await game.untilAcknowledged(0)
    process.kill(database.pid, 'SIGKILL')
    const away = await untilHealth(server.address, 'away', PATIENCE_MS)
    expect(away.code).to.equal(503)
    expect(away.reason).to.match(/^the database (cannot be reached|does not answer)/)
    await expectAway('the database')
    await database.exited
    database = await startDatabase(join(folder, 'mariadb'))
    await untilHealth(server.address, 'ok', 20_000)
    await expectWhole(server.address, game, await game.finish())
  })
})

describe('a disk that is full', function () {
  this.timeout(180_000 + FULL_ROUNDS * 30_000)
  const disk = mkdtempSync(join(tmpdir(), 'lapsus-disk-'))
  const filling = join(disk, 'something-else')
  const folder = join(disk, 'mariadb')
  let isMounted = false
  let database: Database | null = null
  let server: ServerProcess | null = null
  let game: Game | null = null

  const asRoot = (command: string, ...args: string[]) => {
    const [program, rest] = process.getuid?.() === 0 ? [command, args] : ['sudo', ['-n', command, ...args]]
    return spawnSync(program!, rest!).status === 0
  }
  const freeBytes = () => {
    const { bavail, bsize } = statfsSync(disk)
    return bavail * bsize
  }
  /** Fills the disk until so much is free. */
  const fillUpTo = (bytes: number) => {
    while (freeBytes() > bytes) {
      try {
        appendFileSync(filling, Buffer.alloc(Math.min(MB, freeBytes() - bytes), 1))
      } catch (error) {
        if ((error as NodeJS.ErrnoException).code !== 'ENOSPC') throw error
        return
      }
    }
  }

  before(async function () {
    isMounted = asRoot('mount', '-t', 'tmpfs', '-o', `size=${DISK_MB}m,mode=777`, 'lapsus-faults', disk)
    // A disk of one's own takes root, here or through sudo.
    if (!isMounted) return this.skip()
    mkdirSync(folder)
    database = await startDatabase(folder)
    server = await forkServer(database.url, disk, { LAPSUS_DATABASE_FOLDER: folder })
  })
  after(async () => {
    await game?.kill()
    await server?.stop()
    await database?.stop()
    if (isMounted) asRoot('umount', disk)
    rmSync(disk, { recursive: true, force: true })
  })

  it(`${FULL_ROUNDS} times: it is said, recordings wait, and go on when there is room`, async () => {
    const { address } = server!
    game = new Game(address, `full-${SEED}-${process.pid}`)
    let noticedMs = 0
    for (let i = 0; i < FULL_ROUNDS; i++) {
      await game.untilAcknowledged(game.said('acknowledged'))
      // Below the least room, and every other time to the last byte, as others on the machine may.
      fillUpTo(i % 2 === 0 ? 0 : 40 * MB)
      const degraded = await untilHealth(address, 'degraded', PATIENCE_MS)
      noticedMs = Math.max(noticedMs, degraded.tookMs)
      expect(degraded.code).to.equal(503)
      expect(degraded.reason).to.match(/^the disk is full: \d+ MB are free/)
      // What is stored can be read still.
      expect((await fetch(`${address}/api/takes`)).status).to.equal(200)
      await pause(1_500)
      expect(server!.isAlive()).to.equal(true)
      rmSync(filling)
      await untilHealth(address, 'ok', 20_000)
      await game.untilAcknowledged(game.said('acknowledged'))
    }
    const made = await game.finish()
    await expectWhole(address, game, made)
    report('full', { times: FULL_ROUNDS, frames: made, noticedMs: Math.round(noticedMs) })
  })
})
