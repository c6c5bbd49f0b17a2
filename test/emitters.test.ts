/**
 * Emitters in other languages: the same small game in each, recorded to a file and live, over a connection that fails
 * again and again. What is recorded equals what the game has counted itself.
 */
import { expect } from 'chai'
import { spawn, spawnSync } from 'node:child_process'
import {
  existsSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  renameSync,
  rmSync,
  writeFileSync,
} from 'node:fs'
import { createServer, type IncomingMessage, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { tmpdir } from 'node:os'
import { basename, join, resolve } from 'node:path'
import type { ImportResult, TakeDetail } from '@lapsus/api'
import {
  pictureHead,
  RecordReader,
  TAKEN_UNKNOWN,
  takenGauge,
  type AnyRecord,
  type ChunkRecord,
  VERSION,
} from '@lapsus/core/format'
import type { RunningServer } from '../packages/server/src/index.ts'
import { getJson, testServer, until } from '../packages/server/test/support.ts'
import { freePort } from '../scripts/setup/database.mjs'
import { ROOT } from './support/npm-start.ts'

const FRAMES = 130
const SEED = 7
const MS = 1_000_000
/** Linux says of each thread how long it stood ready while something else ran. */
const SYSTEM_TELLS = existsSync('/proc/thread-self/schedstat')
/** Before a command: it runs on the first core that may be had. */
const ON_ONE_CORE = SYSTEM_TELLS
  ? ['taskset', '-c', /^Cpus_allowed_list:\s*(\d+)/m.exec(readFileSync('/proc/self/status', 'utf8'))![1]!]
  : []

/** Heads of pictures 320 pixels wide and 200 high, of every kind that Lapsus knows. */
const PICTURES: Record<string, Buffer> = {
  png: Buffer.from('89504e470d0a1a0a0000000d4948445200000140000000c80802000000', 'hex'),
  jpeg: Buffer.from('ffd8ffe000104a46494600010100000100010000ffc0001108' + '00c80140' + '03012200', 'hex'),
  'webp, lossy': Buffer.from('524946460000000057454250' + '565038200000000030010' + '09d012a4001c800', 'hex'),
  'webp, lossless': Buffer.from('524946460000000057454250' + '5650384c000000002f3fc13100', 'hex'),
  'webp, extended': Buffer.from(
    '524946460000000057454250' + '565038580a00000000000000' + '3f0100c70000',
    'hex',
  ),
}

interface Language {
  name: string
  /** What brings it about in `folder`, once. */
  build?(folder: string): [string, string[]][]
  /** The small game, and one that says everything wrong. */
  game(folder: string): string[]
  wrong(folder: string): string[]
  hasThreads: boolean
}

const example = (path: string) => join(ROOT, 'examples', path)
const emitter = (path: string) => join(ROOT, 'emitters', path)
const own = (path: string) => join(ROOT, 'test/emitters', path)

const lua = (program: string): Language => ({
  name: program,
  game: () => [program, example('lua/bats.lua')],
  wrong: () => [program, own('wrong.lua')],
  hasThreads: false,
})

/** Warnings are errors; what says everything wrong is watched for what it does to memory, too. */
const compiled = (name: string, program: string, options: string[]): Language => ({
  name,
  build: (folder) =>
    [
      [`bats-${program}`, example('c/bats.c'), '-O2'],
      [`wrong-${program}`, own('wrong.c'), '-fsanitize=address,undefined'],
    ].map(([out, source, option]) => [
      program,
      [
        ...[...options, '-Wall', '-Wextra', '-pedantic', '-Werror', option!, '-o', join(folder, out!)],
        ...[source!, '-pthread', '-lm'],
      ],
    ]),
  game: (folder) => [join(folder, `bats-${program}`)],
  wrong: (folder) => [join(folder, `wrong-${program}`)],
  hasThreads: true,
})

const LANGUAGES: Language[] = [
  compiled('C', 'gcc', ['-std=c99']),
  compiled('C++', 'g++', ['-std=c++17', '-x', 'c++']),
  {
    name: 'Python',
    game: () => ['python3', example('python/bats.py')],
    wrong: () => ['python3', own('wrong.py')],
    hasThreads: true,
  },
  lua('lua5.1'),
  lua('lua5.2'),
  lua('lua5.3'),
  lua('lua5.4'),
  lua('luajit'),
  {
    name: 'C#',
    build: (folder) =>
      [
        ['bats.exe', example('csharp/Bats.cs')],
        ['wrong.exe', own('Wrong.cs')],
      ].map(([out, source]) => [
        'mcs',
        ['-optimize', '-warnaserror', `-out:${join(folder, out!)}`, source!, emitter('csharp/Lapsus.cs')],
      ]),
    game: (folder) => ['mono', join(folder, 'bats.exe')],
    wrong: (folder) => ['mono', join(folder, 'wrong.exe')],
    hasThreads: true,
  },
]

/** What the game has counted, by name; times in ns. */
type Counts = Record<string, number>

/** The same from what was recorded. */
function figuresOf(records: readonly AnyRecord[]): Counts {
  const markers = new Map<number, string>()
  const gauges = new Map<number, string>()
  const figures: Counts = { frames: 0, moved: 0, yes: 0, bats: 0, bells: 0, steps: 0, others: 0 }
  Object.assign(figures, { born: 0, died: 0, looks: 0, changes: 0, huntNs: 0, jobs: 0, workerRuns: 0 })
  const add = (what: string, by = 1) => (figures[what] = (figures[what] ?? 0) + by)
  const sum = (values: ArrayLike<number>) => Array.from(values).reduce((a, b) => a + b, 0)
  for (const record of records) {
    if (record.record === 'declare') {
      for (const { id, name } of record.markers) markers.set(id, name)
      for (const { id, name } of record.gauges) gauges.set(id, name)
    }
    if (record.record !== 'chunk') continue
    add('frames', record.frameStartNs.length)
    add('steps', sum(record.steps))
    for (const { lane, marker, durationNs, effect, key } of record.lanes) {
      marker.forEach((id, i) => {
        const name = markers.get(id)!
        add(name)
        if (lane > 0) add('workerRuns')
        if (name === 'bat.update' && effect![i] === 2) add('moved')
        if (name === 'belt.check') {
          if (effect![i] === 2) add('yes')
          add(`belt ${key![i]}`)
        }
        if (name === 'hunt') add('huntNs', durationNs[i])
      })
    }
    for (const { gauge, value } of record.gauges) {
      if (gauges.get(gauge) === 'bats') add('bats', sum(value))
      if (gauges.get(gauge) === 'hunt') add('others', sum(value))
    }
    for (const { looks, changes } of record.watches) {
      add('looks', sum(looks))
      add('changes', sum(changes))
    }
    for (const { born, died } of record.lives) {
      add('born', sum(born))
      add('died', sum(died))
    }
    add('bells', record.moments.filter(({ name }) => name === 'bell').length)
    add('jobs', record.jobs?.job.length ?? 0)
  }
  return figures
}

/** All values of a gauge. */
function valuesOf(records: readonly AnyRecord[], name: string): number[] {
  let wanted = -1
  return records.flatMap((record) => {
    if (record.record === 'declare') wanted = record.gauges.find((one) => one.name === name)?.id ?? wanted
    if (record.record !== 'chunk') return []
    return record.gauges.flatMap(({ gauge, value }) => (gauge === wanted ? [...value] : []))
  })
}

const sumOf = (values: number[]): number => values.reduce((a, b) => a + b, 0)

function recordsIn(bytes: Uint8Array): AnyRecord[] {
  const records: AnyRecord[] = []
  new RecordReader().push(bytes, (record) => records.push(record))
  return records
}

/** Runs a program to its end, beside this process. */
function play(
  [program, ...args]: string[],
  env: Record<string, string> = {},
): Promise<{ out: string; err: string; code: number | null }> {
  const child = spawn(program!, args, { env: { ...process.env, ...env }, stdio: ['ignore', 'pipe', 'pipe'] })
  let [out, err] = ['', '']
  child.stdout.on('data', (data) => (out += data))
  child.stderr.on('data', (data) => (err += data))
  return new Promise((resolve, reject) => {
    child.once('error', reject)
    child.once('close', (code) => resolve({ out, err, code }))
  })
}

/**
 * Passes requests on; of three, one is cut off before it is passed on, one before its answer comes.
 * @param answered is given the paths of those that are answered
 */
function badConnection(address: string, answered: string[]): Promise<Server> {
  let count = 0
  const server = createServer((request: IncomingMessage, response) => {
    const number = count++
    const pieces: Buffer[] = []
    request.on('data', (piece: Buffer) => pieces.push(piece))
    request.on('end', async () => {
      if (number % 3 === 1) return request.socket.destroy()
      const headers = Object.fromEntries(
        Object.entries(request.headers).filter(([name]) => /^(content|authorization)/.test(name)),
      ) as Record<string, string>
      delete headers['content-length']
      const answer = await fetch(address + request.url!, {
        ...{ method: request.method!, headers, body: Buffer.concat(pieces) as BodyInit },
      })
      const text = await answer.text()
      if (number % 3 === 2) return request.socket.destroy()
      answered.push(request.url!)
      response.writeHead(answer.status, { 'content-type': answer.headers.get('content-type')! })
      return response.end(text)
    })
  })
  return new Promise((resolve) => server.listen(0, '127.0.0.1', () => resolve(server)))
}

const portOf = ({ address }: RunningServer): string => new URL(address).port

describe('emitters', () => {
  const folder = mkdtempSync(join(tmpdir(), 'lapsus-emitters-'))
  const spool = join(folder, 'spool')
  let server: RunningServer
  let connection: Server
  const answered: string[] = []
  let counted: Counts | null = null

  before(async () => {
    server = await testServer({ spool })
    connection = await badConnection(server.address, answered)
    // The first begins a thread: longer than a game that ends has patience for.
    await fetch(`${server.address}/ingest/first`, { method: 'POST', body: '' })
    for (const [program, args] of LANGUAGES.flatMap(({ build }) => build?.(folder) ?? [])) {
      const { status, stdout, stderr } = spawnSync(program, args, { encoding: 'utf8' })
      expect(status, `${stdout}${stderr}`).to.equal(0)
    }
  })
  after(async () => {
    connection.close()
    await server.stop()
    rmSync(folder, { recursive: true, force: true })
  })

  const fileOf = async (take: string): Promise<AnyRecord[]> => {
    const response = await fetch(`${server.address}/api/takes/${take}/file?format=lapsus`)
    expect(response.status, take).to.equal(200)
    return recordsIn(new Uint8Array(await response.arrayBuffer()))
  }
  const imported = async (file: string): Promise<string> => {
    const response = await fetch(`${server.address}/api/imports`, {
      ...{ method: 'POST', body: readFileSync(file) as BodyInit },
    })
    const result = (await response.json()) as ImportResult
    expect(result, JSON.stringify(result)).to.include({ problem: null, complete: true })
    return result.take
  }

  /** Holds what was recorded against what the game has counted. */
  function agree(records: AnyRecord[], counts: Counts, hasThreads: boolean): void {
    const figures = figuresOf(records)
    const { huntInnerNs, huntOuterNs, ...others } = counts
    for (const [what, count] of Object.entries(others)) expect(figures[what] ?? 0, what).to.equal(count)
    const belts = [1, 2, 3].map((belt) => figures[`belt ${belt}`])
    expect(belts).to.deep.equal([FRAMES, FRAMES, FRAMES])
    const { recorder } = (records[0] as { conditions: { recorder: { clockResolutionNs: number } } })
      .conditions
    const step = recorder.clockResolutionNs * FRAMES
    expect(figures['huntNs']).to.be.within(huntInnerNs! - step, huntOuterNs! + step)
    if (hasThreads) {
      expect(figures['workerRuns']).to.equal(counts['route'])
      expect(figures['jobs']).to.equal(3 * counts['route']!)
    }
    const chunks = records.filter((record): record is ChunkRecord => record.record === 'chunk')
    expect(chunks.reduce((sum, { repaired, dropped }) => sum + repaired + dropped, 0)).to.equal(0)
    // Of the three: all at first, one less from frame 5 on, one of the others asleep from frame 8 on.
    const told = chunks.flatMap(({ updaters }) =>
      updaters.flatMap(({ enabled, asleep }) => [...enabled].map((count, i) => [count, asleep[i]])),
    )
    expect(told).to.deep.equal([
      [3, 0],
      [2, 0],
      [2, 1],
    ])
  }

  /** Each marker of the game stands where its source has its name, and the recorder's own nowhere. */
  function placed(markers: TakeDetail['markers'], hasThreads: boolean): void {
    const own = markers.filter(({ group }) => group !== 'recorder' && group !== 'runtime')
    expect(own.length).to.equal(hasThreads ? 7 : 6)
    for (const { name, at } of own) {
      const line = readFileSync(resolve(at!.file), 'utf8').split('\n')[at!.line - 1]
      expect(line, `${name} at ${at!.file}:${at!.line}`).to.contain(`"${name}"`)
    }
    for (const { name, at, group } of markers)
      if (group === 'recorder' || group === 'runtime') expect(at, name).to.equal(null)
  }

  for (const { name, game, wrong, hasThreads } of LANGUAGES) {
    describe(name, () => {
      it('records to a file what the game has counted', async () => {
        const file = join(folder, `${name}.lapsus`)
        const { out, err, code } = await play([...game(folder), file, String(FRAMES), String(SEED)])
        expect(err).to.equal('')
        expect(code).to.equal(0)
        const counts = JSON.parse(out) as Counts
        const take = await imported(file)
        const records = await fileOf(take)
        agree(records, counts, hasThreads)
        const takenMs = valuesOf(records, takenGauge('worker'))
        expect(takenMs.length > 0).to.equal(hasThreads && SYSTEM_TELLS)
        expect(takenMs.every((ms) => ms >= 0 && ms < 60_000)).to.equal(true)
        // The game is the same in every language, but for times, chance, and threads where there are none.
        const { huntInnerNs: _i, huntOuterNs: _o, route: _r, others, ...same } = counts
        expect(others! % 10, 'a block of a trial has ten frames').to.equal(0)
        expect(same).to.deep.equal((counted ??= same))
        const detail = await getJson<TakeDetail>(server, `/api/takes/${take}`)
        placed(detail.markers, hasThreads)
        expect(detail.conditions).to.include({ build: 'release', mode: 'timing', seed: SEED })
        expect(detail.conditions.probe).to.match(new RegExp(`^[Ll]apsus\\.\\w+ ${VERSION}$`))
      })

      /** @returns whether the game was answered at all, while it ran */
      async function recordsLive(number: number): Promise<boolean> {
        const take = `live-${name.replace(/\W/g, '-')}-${number}-${process.pid}`
        // As `lapsus record` says it, whatever the game says itself.
        const { port } = connection.address() as AddressInfo
        const to = `ws://127.0.0.1:${port}`
        const { out, err, code } = await play([...game(folder), '/nowhere', String(FRAMES), String(SEED)], {
          ...{ LAPSUS_TO: to, LAPSUS_TAKE: take, LAPSUS_SPOOL: spool },
        })
        expect(code, err).to.equal(0)
        expect(err).to.not.contain('lost')
        // A game waits two seconds at its end: on a busy machine it leaves the rest.
        const left = existsSync(spool) ? readdirSync(spool) : []
        for (const file of left.filter((name) => name.includes(take)))
          renameSync(join(spool, file), join(spool, file.replace(`_${port}~`, `_${portOf(server)}~`)))
        // Where all of it was left, there is no such take for a while.
        const stateOf = () => getJson<TakeDetail>(server, `/api/takes/${take}`).then(({ state }) => state)
        await until(async () => (await stateOf().catch(() => null)) === 'complete', 'the take is complete')
        agree(await fileOf(take), JSON.parse(out) as Counts, hasThreads)
        return answered.some((path) => path.includes(take))
      }

      it('records live, over a connection that fails again and again', async () => {
        // On a busy machine a game may be over before a third connection is made.
        for (let number = 1; !(await recordsLive(number)); number++) expect(number, 'games').to.be.below(5)
      })

      it('mends or leaves out what is wrong, counts it, and raises nothing', async () => {
        const file = join(folder, `${name}-wrong.lapsus`)
        const { out, err, code } = await play([...wrong(folder), file])
        expect(err).to.equal('')
        expect([code, out.trim()]).to.deep.equal([0, 'the game goes on'])
        const records = await fileOf(await imported(file))
        const chunks = records.filter((record): record is ChunkRecord => record.record === 'chunk')
        expect(chunks.reduce((sum, { frameStartNs }) => sum + frameStartNs.length, 0)).to.equal(3)
        // Two leaves too much, one missing.
        expect(chunks.reduce((sum, { repaired }) => sum + repaired, 0)).to.equal(3)
        const problems = records.flatMap((record) => ('problems' in record ? record.problems : []))
        const count = (what: string) =>
          problems.filter((one) => one.what === what).reduce((sum, one) => sum + one.count, 0)
        expect(count('markers were none')).to.be.greaterThan(0)
        expect(count('values were not numbers')).to.be.greaterThan(1)
        expect(count('lives are of no class')).to.equal(1)
        expect(count('watched values are none')).to.equal(1)
        expect(count('data of moments were left out')).to.equal(1)
        // The second came too soon after the first to be looked at.
        expect(count('pictures could not be made, or were too large')).to.equal(1)
      })

      it('records nothing where it is not asked to, and costs no more than a test', async () => {
        const { err, code } = await play([...wrong(folder), ''])
        expect([code, err]).to.deep.equal([0, ''])
      })
    })
  }

  it('deliver the whole take of a game that ends without closing it, and forks meanwhile', async () => {
    const forgetful = join(folder, 'forgetful')
    writeFileSync(
      `${forgetful}.c`,
      `#define _POSIX_C_SOURCE 200809L
      #define LAPSUS_IMPLEMENTATION
      #include "${emitter('c/lapsus.h')}"
      #include <sys/wait.h>
      int main(int count, char **to) {
        lapsus_options options = { 0 };
        lapsus *probe;
        options.to = to[count - 1];
        probe = lapsus_begin(&options);
        for (count = 0; count < 3; count++) lapsus_frame(probe);
        /* A child has no part in it. */
        if (fork() == 0) exit(0);
        wait(NULL);
        lapsus_enter(lapsus_main(probe), lapsus_marker(probe, "a", "", "work"));
        exit(0);
      }`,
    )
    const built = spawnSync('gcc', ['-std=c99', '-o', forgetful, `${forgetful}.c`, '-pthread', '-lm'])
    expect(String(built.stderr)).to.equal('')
    const script = `package.path = '${emitter('lua/?.lua')};' .. package.path
      local probe = require('lapsus').probe { to = arg[1] }
      for _ = 1, 3 do probe:frame() end
      probe:enter(probe:marker 'a')`
    writeFileSync(`${forgetful}.lua`, script)
    const python = `import os, sys
sys.path.insert(0, '${emitter('python')}')
sys.dont_write_bytecode = True
import lapsus
probe = lapsus.Probe('Forgetful', to=sys.argv[1])
for _ in range(3):
    probe.frame()
if os.fork() == 0:
    sys.exit(0)
os.wait()
probe.enter(probe.marker('a'))
`
    writeFileSync(`${forgetful}.py`, python)
    const luas = LANGUAGES.filter(({ name }) => name.startsWith('lua')).map(({ name }) => name)
    // A game waits two seconds at its end, but the first has a thread of the server to wait for.
    const first = `{"record":"take","lapsus":1,"take":"first-of-all","game":"First","target":60,"started":"2026-01-02T03:04:05Z"}`
    expect(
      (await fetch(`${server.address}/ingest/first-of-all`, { method: 'POST', body: first })).status,
    ).to.equal(200)
    const others = luas.map((lua) => [lua, `${forgetful}.lua`])
    for (const game of [[forgetful], ['python3', `${forgetful}.py`], ...others]) {
      for (const to of [join(folder, 'forgotten'), server.address]) {
        const way = to === server.address ? 'live' : 'file'
        const take = `forgotten-${basename(game[0]!).replace('.', '-')}-${way}`
        const { code, err } = await play([...game, to], {
          ...{ LAPSUS_TAKE: take, LAPSUS_SPOOL: join(folder, 'forgotten spool') },
        })
        expect(code, game[0]).to.equal(0)
        if (way === 'live' && game[0]!.startsWith('lua')) {
          // Lua may not use sockets while it ends.
          expect(err).to.match(/^lapsus: 3 records are not delivered; they are kept in .+\n$/)
          continue
        }
        expect(err).to.equal('')
        const id = way === 'live' ? take : await imported(to)
        expect(await getJson<TakeDetail>(server, `/api/takes/${id}`), game[0]).to.include({
          frames: 3,
          state: 'complete',
        })
      }
    }
  })

  it('keep pictures of every kind that Lapsus knows, and none that are too wide or none at all', async () => {
    const widthAt: Record<string, number> = { png: 19, jpeg: 28, 'webp, lossy': 26, 'webp, lossless': 21 }
    const keptBy = async ({ name, game }: Language, shown: Uint8Array) => {
      const [file, screen] = [join(folder, `pictured-${name}`), join(folder, `screen-${name}`)]
      writeFileSync(screen, shown)
      const { code, err } = await play([...game(folder), file, '3', String(SEED), screen])
      expect([code, err], name).to.deep.equal([0, ''])
      const records = await fileOf(await imported(file))
      const pictures = records.flatMap((one) => (one.record === 'chunk' ? one.pictures : []))
      expect(pictures.every(({ atNs }) => atNs >= 0 && atNs < 60e9)).to.equal(true)
      return pictures.map(({ bytes }) => Buffer.from(bytes).toString('hex'))
    }
    // One of each source; others are the same.
    const sources = LANGUAGES.filter(({ name }) => ['C', 'Python', 'lua5.4', 'C#'].includes(name))
    for (const [kind, picture] of Object.entries(PICTURES)) {
      const wide = Buffer.from(picture)
      wide[widthAt[kind] ?? 24]!++
      expect([pictureHead(picture)!.width, pictureHead(wide)!.width], kind).to.deep.equal([320, 321])
      await Promise.all(
        sources.map(async (one) => {
          // Three frames take far less than half a second: it is looked at once.
          expect(await keptBy(one, picture), `${one.name}, ${kind}`).to.deep.equal([picture.toString('hex')])
          expect(await keptBy(one, wide), `${one.name}, ${kind}`).to.deep.equal([])
        }),
      )
    }
    for (const one of sources)
      expect(await keptBy(one, Buffer.from('GIF89a and more')), one.name).to.deep.equal([])
  })

  it('are told by what is no Lapsus that it is none, keep what they record, and the game goes on', async () => {
    // Whoever answers before all has come cuts off the connection, which is another failure.
    const refusing = createServer((request, response) =>
      request.resume().on('end', () => response.writeHead(404).end('{"detail":"no such thing"}')),
    )
    await new Promise<void>((resolve) => refusing.listen(0, '127.0.0.1', resolve))
    const to = `127.0.0.1:${(refusing.address() as AddressInfo).port}`
    try {
      for (const { name, game } of LANGUAGES) {
        const { err, code } = await play([...game(folder), to, '20', '1'])
        expect(code, name).to.equal(0)
        expect(err, name).to.match(
          /^lapsus: \S+ does not take what is recorded: no such thing; records are kept\n/,
        )
      }
    } finally {
      refusing.close()
    }
  })

  it('tell what the system takes from their loop', async () => {
    // All on one core: each has to wait for the others.
    const files = await Promise.all(
      LANGUAGES.map(async ({ name, game }) => {
        const file = join(folder, `${name} among others.lapsus`)
        const { code } = await play([...ON_ONE_CORE, ...game(folder), file, String(FRAMES), String(SEED)])
        expect(code, name).to.equal(0)
        return file
      }),
    )
    for (const [i, { name }] of LANGUAGES.entries()) {
      const records = await fileOf(await imported(files[i]!))
      const chunks = records.filter((record): record is ChunkRecord => record.record === 'chunk')
      const taken = chunks.flatMap(({ takenNs }) => [...takenNs])
      const lasted = chunks.flatMap(({ frameDurationNs }) => [...frameDurationNs])
      if (SYSTEM_TELLS) expect(sumOf(taken), name).to.be.within(MS / 2, sumOf(lasted) + MS)
      else expect(new Set(taken), name).to.deep.equal(new Set([TAKEN_UNKNOWN]))
    }
  })

  it('tell it of the thread whose loop it is, not of the one that began the recording', async function () {
    if (!SYSTEM_TELLS) this.skip()
    const [c, csharp] = [join(folder, 'elsewhere'), join(folder, 'elsewhere.exe')]
    for (const [program, ...args] of [
      ['gcc', '-std=c99', '-o', c, own('elsewhere.c'), '-pthread', '-lm'],
      ['mcs', `-out:${csharp}`, own('Elsewhere.cs'), emitter('csharp/Lapsus.cs')],
    ]) {
      const { status, stderr } = spawnSync(program!, args, { encoding: 'utf8' })
      expect(status, stderr).to.equal(0)
    }
    const games = [[c], ['python3', own('elsewhere.py')], ['mono', csharp]]
    // On one core, and twice: each has company to its end.
    const ends = await Promise.all(
      [...games, ...games].map(async (game, i) => {
        const file = join(folder, `elsewhere ${i}.lapsus`)
        return { file, ...(await play([...ON_ONE_CORE, ...game, file])) }
      }),
    )
    for (const { file, code, err } of ends) {
      expect([code, err], file).to.deep.equal([0, ''])
      const records = await fileOf(await imported(file))
      const taken = records.flatMap((one) => (one.record === 'chunk' ? [...one.takenNs] : []))
      expect(sumOf(taken), file).to.be.greaterThan(MS)
    }
  })

  it('keep what they record while nobody answers, say so once, and leave it to the next start of Lapsus', async () => {
    const spool = join(folder, 'left behind')
    // They mostly wait: all at once.
    await Promise.all(
      LANGUAGES.map(async ({ name, game }, i) => {
        // Port 9 of this machine is nobody's.
        const { err, code } = await play([...game(folder), '127.0.0.1:9', '20', '1'], {
          ...{ LAPSUS_SPOOL: spool, LAPSUS_TAKE: `left-behind-${i}` },
        })
        expect(code, name).to.equal(0)
        expect(err, name).to.match(/^lapsus: \S+ does not take what is recorded: .*; records are kept\n/)
        expect(err, name).to.contain(`records are not delivered; they are kept in ${spool}`)
      }),
    )
    // The Lapsus that was not there begins, elsewhere for want of that port.
    const place = await freePort()
    for (const file of readdirSync(spool))
      renameSync(join(spool, file), join(spool, file.replace('127.0.0.1_9~', `127.0.0.1_${place}~`)))
    const server = await testServer({ port: place, spool })
    try {
      for (const [i, { name }] of LANGUAGES.entries()) {
        const find = () => getJson<TakeDetail>(server, `/api/takes/left-behind-${i}`)
        await until(
          () =>
            find().then(
              ({ state }) => state === 'complete',
              () => false,
            ),
          `${name} is taken up`,
        )
        const take = await find()
        expect(take, name).to.include({ frames: 20, state: 'complete' })
      }
      await until(() => readdirSync(spool).length === 0, 'nothing stays')
    } finally {
      await server.stop()
    }
  })
})
