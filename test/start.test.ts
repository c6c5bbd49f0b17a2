/** `npm start` as a whole, in a state folder of its own. */
import { expect } from 'chai'
import { spawn, type ChildProcess } from 'node:child_process'
import { existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs'
import { createServer } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import type { TakeSummary } from '@lapsus/api'

const ROOT = join(import.meta.dirname, '..')

interface Run {
  child: ChildProcess
  output(): string
  /** Resolves to the exit code. */
  ended: Promise<number | null>
}

const runs: Run[] = []

function run(script: string, args: string[], env: Record<string, string | undefined>): Run {
  const child = spawn(process.execPath, [join(ROOT, 'scripts', script), ...args], {
    env: { ...process.env, ...env },
    stdio: ['ignore', 'pipe', 'pipe'],
  })
  let text = ''
  child.stdout!.on('data', (data) => (text += data))
  child.stderr!.on('data', (data) => (text += data))
  const ended = new Promise<number | null>((resolve) => child.once('close', resolve))
  const made = { child, output: () => text, ended }
  runs.push(made)
  return made
}

async function says({ output, ended }: Run, words: string): Promise<void> {
  let over = false
  void ended.then(() => (over = true))
  while (!output().includes(words)) {
    if (over) throw new Error(`it ended without saying “${words}”:\n${output()}`)
    await new Promise((resolve) => setTimeout(resolve, 30))
  }
}

const addressOf = ({ output }: Run): string => /Lapsus is at (\S+)/.exec(output())![1]!
const processOf = ({ output }: Run, pattern: RegExp): number => Number(pattern.exec(output())![1])
const alive = (pid: number): boolean =>
  existsSync(`/proc/${pid}`) && !readFileSync(`/proc/${pid}/stat`, 'utf8').includes(') Z ')
const takesAt = async (address: string) =>
  (await (await fetch(`${address}/api/takes`)).json()) as TakeSummary[]
const DATABASE = /MariaDB answers on \S+ \(process (\d+)\)/
const SERVER = /listening at \S+ \(process (\d+)\)/

describe('npm start', function () {
  this.timeout(120_000)
  const state = mkdtempSync(join(tmpdir(), 'lapsus-start-'))
  const env = { LAPSUS_STATE: state, LAPSUS_FIRST_TAKE_S: '1', DATABASE_URL: undefined, PORT: undefined }
  const start = (more: Record<string, string> = {}) => run('start.mjs', [], { ...env, ...more })

  after(async () => {
    for (const { child, ended } of runs) {
      if (child.exitCode === null && child.signalCode === null) child.kill('SIGTERM')
      await ended
    }
    rmSync(state, { recursive: true, force: true })
  })

  let address = ''

  it('makes a database, records a first take, and ends with the address', async () => {
    const first = start()
    await says(first, 'Lapsus is at')
    address = addressOf(first)
    const takes = await takesAt(address)
    expect(takes).to.have.length(1)
    expect(takes[0]).to.include({ game: 'Moth Post', state: 'complete', frames: 60 })
    expect((await (await fetch(address)).text()).includes('<div id="root">')).to.equal(true)

    const second = start()
    expect(await second.ended).to.equal(1)
    expect(second.output()).to.contain(`Lapsus is already running at ${address} (process ${first.child.pid})`)
    expect((await fetch(`${address}/health`)).status).to.equal(200)

    const database = processOf(first, DATABASE)
    first.child.kill('SIGTERM')
    expect(await first.ended).to.equal(0)
    expect(alive(database)).to.equal(false)
    expect(existsSync(join(state, 'running.json'))).to.equal(false)
  })

  it('keeps what it has, and its port, from one run to the next; recovers from being killed', async () => {
    const killed = start()
    await says(killed, 'Lapsus is at')
    expect(killed.output()).not.to.contain('making the data directory')
    expect(addressOf(killed)).to.equal(address)
    const database = processOf(killed, DATABASE)
    const server = processOf(killed, SERVER)
    killed.child.kill('SIGKILL')
    await killed.ended
    expect(alive(database)).to.equal(true)
    // The server notices by itself that nobody watches over it.
    while (alive(server)) await new Promise((resolve) => setTimeout(resolve, 50))

    const recovered = start()
    await says(recovered, 'Lapsus is at')
    expect(recovered.output()).to.contain('a run before this one was killed')
    expect(recovered.output()).to.contain(`stopping process ${database}`)
    expect(await takesAt(addressOf(recovered))).to.have.length(1)

    process.kill(processOf(recovered, SERVER), 'SIGKILL')
    expect(await recovered.ended).to.equal(1)
    expect(recovered.output()).to.contain('the server ended with code')
    expect(alive(processOf(recovered, DATABASE))).to.equal(false)
  })

  it('uses another MariaDB when DATABASE_URL names one', async () => {
    const elsewhere = mkdtempSync(join(tmpdir(), 'lapsus-elsewhere-'))
    const other = run('start.mjs', [], {
      ...env,
      LAPSUS_STATE: elsewhere,
      DATABASE_URL: process.env['TEST_DATABASE_URL']!,
    })
    await says(other, 'Lapsus is at')
    expect(existsSync(join(elsewhere, 'mariadb'))).to.equal(false)
    expect(other.output()).to.contain('the one DATABASE_URL names')
    other.child.kill('SIGINT')
    expect(await other.ended).to.equal(0)
    rmSync(elsewhere, { recursive: true, force: true })
  })

  it('says when the port asked for is taken, and leaves nothing running', async () => {
    const squatter = createServer()
    await new Promise<void>((resolve) => squatter.listen(0, '127.0.0.1', resolve))
    const { port } = squatter.address() as { port: number }
    const refused = start({ PORT: String(port) })
    expect(await refused.ended).to.equal(1)
    expect(refused.output()).to.contain(`PORT is ${port}, but something else listens there`)
    expect(alive(processOf(refused, DATABASE))).to.equal(false)
    squatter.close()
  })

  it('does not take a lock for alive because its process id was used again', async () => {
    writeFileSync(
      join(state, 'running.json'),
      JSON.stringify({ pid: process.pid, ticks: '1', address: 'http://127.0.0.1:1' }),
    )
    const fresh = start()
    await says(fresh, 'a run before this one was killed')
    fresh.child.kill('SIGTERM')
    expect(await fresh.ended).to.equal(0)
  })
})

describe('missing Debian packages', () => {
  const folder = mkdtempSync(join(tmpdir(), 'lapsus-programs-'))
  after(() => rmSync(folder, { recursive: true }))

  /** Runs ensurePrograms as a user without rights, with these programs in reach. */
  async function ensure(programs: string[]): Promise<string> {
    const bin = join(folder, programs.join('-') || 'none')
    mkdirSync(bin)
    for (const program of programs) symlinkSync('/bin/false', join(bin, program))
    const script = join(folder, 'ensure.mjs')
    writeFileSync(
      script,
      `import { ensurePrograms } from ${JSON.stringify(join(ROOT, 'scripts/setup/debian.mjs'))}
       const need = { program: 'mariadbd', packages: ['mariadb-server-core'], purpose: 'database server' }
       try { ensurePrograms([need], 1000, [${JSON.stringify(bin)}]) } catch (error) { console.log(error.message) }`,
    )
    const child = spawn(process.execPath, [script], { stdio: ['ignore', 'pipe', 'inherit'] })
    let text = ''
    child.stdout.on('data', (data) => (text += data))
    await new Promise((resolve) => child.once('close', resolve))
    return text
  }

  it('are asked for with the exact command, without root and without sudo', async () => {
    const command =
      'sudo apt-get update && sudo apt-get install -y --no-install-recommends mariadb-server-core'
    expect(await ensure(['apt-get'])).to.contain(command)
    // A sudo that asks for a password is no use without a terminal.
    expect(await ensure(['apt-get', 'sudo'])).to.contain(command)
    expect(await ensure([])).to.contain('This is not a Debian system')
    expect(await ensure(['mariadbd'])).to.contain('is in place')
  })
})
