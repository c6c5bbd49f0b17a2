/** The last resort: a failure that nobody foresaw is logged, what is open is answered, and the process ends. */
import { expect } from 'chai'
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { request } from 'node:http'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { pathToFileURL } from 'node:url'
import { freshDatabase } from '../packages/server/test/support.ts'
import { freePort } from '../scripts/setup/database.mjs'
import { takeFile } from './faults/support/corpus.ts'
import { brokenIn, numbersOf } from './faults/support/frames.ts'
import { Game } from './faults/support/game.ts'
import { forkServer, type ServerProcess } from './faults/support/server.ts'
import { pause } from './support/npm-start.ts'

const CRASHED = 70
/** Throws outside everything when it is told to. */
const OVERLOOKED = {
  exception: "process.on('SIGUSR2', () => setTimeout(() => { throw new Error('overlooked') }))",
  rejection: "process.on('SIGUSR2', () => { void Promise.reject(new Error('overlooked')) })",
}

/** An import whose file comes in pieces. */
function beginImport(address: string, length: number) {
  const sending = request(`${address}/api/imports`, { method: 'POST', headers: { 'content-length': length } })
  const status = new Promise<number>((resolve, reject) => {
    sending.on('error', reject)
    sending.on('response', (answer) => {
      answer.resume()
      resolve(answer.statusCode!)
    })
  })
  return {
    status,
    send: (bytes: Uint8Array) => new Promise<void>((resolve) => sending.write(bytes, () => resolve())),
  }
}

describe('a failure of the server that nobody foresaw', () => {
  const folder = mkdtempSync(join(tmpdir(), 'lapsus-crash-'))
  let server: ServerProcess | null = null
  let game: Game | null = null
  afterEach(async () => {
    await game?.kill()
    await server?.stop()
    server = game = null
  })
  after(() => rmSync(folder, { recursive: true, force: true }))

  /** A server that fails when it is sent a signal. */
  async function failing(databaseUrl: string, script: string, port = '0'): Promise<ServerProcess> {
    const overlooked = join(folder, 'overlooked.mjs')
    writeFileSync(overlooked, script)
    const NODE_OPTIONS = `--import=${pathToFileURL(overlooked).href}`
    return (server = await forkServer(databaseUrl, folder, { PORT: port, NODE_OPTIONS }))
  }

  const saysWhy = async (failed: ServerProcess) => {
    expect(await failed.ended).to.equal(CRASHED)
    const log = readFileSync(join(folder, 'server.log'), 'utf8')
    expect(log).to.contain('unhandled failure').and.to.contain('overlooked')
    rmSync(join(folder, 'server.log'))
  }

  it('as a rejection: ends with its own code, and says why in the log', async () => {
    const failed = await failing(await freshDatabase(), OVERLOOKED.rejection)
    process.kill(failed.pid, 'SIGUSR2')
    await saysWhy(failed)
  })

  it('as an exception: the same; what is open is answered, and recordings go on after it', async () => {
    const databaseUrl = await freshDatabase()
    const PORT = String(await freePort())
    const failed = await failing(databaseUrl, OVERLOOKED.exception, PORT)
    game = new Game(failed.address, `crash-${process.pid}`)
    await game.untilAcknowledged(0)
    const file = takeFile()
    const half = file.length >> 1
    // Its thread would take longer to begin than a server that fails waits for what is open.
    await fetch(`${failed.address}/api/imports`, { method: 'POST', body: file as BodyInit })
    const open = beginImport(failed.address, file.length)
    await open.send(file.subarray(0, half))
    // Who asks later is answered once the import has been heard.
    await fetch(`${failed.address}/health`)
    process.kill(failed.pid, 'SIGUSR2')
    await pause(100)
    await open.send(file.subarray(half))
    expect(await open.status).to.equal(201)
    await saysWhy(failed)

    server = await forkServer(databaseUrl, folder, { PORT })
    const made = await game.finish()
    const numbers = await numbersOf(server.address, game.take)
    expect(brokenIn(numbers)).to.deep.equal([])
    expect(numbers.length).to.equal(made)
  })
})
