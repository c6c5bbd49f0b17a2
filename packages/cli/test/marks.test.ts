/** `lapsus record --mark`: games that know nothing of markers, in every way that Node loads them. */
import { expect } from 'chai'
import { spawn } from 'node:child_process'
import { buildSync } from 'esbuild'
import {
  cpSync,
  existsSync,
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  symlinkSync,
  writeFileSync,
} from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { RecordReader, type AnyRecord, type MarkerDeclaration } from '@lapsus/core/format'
import type { Inspection } from '../src/inspect.ts'
import { lapsus, ROOT } from './support.ts'

interface Ended {
  code: number | null
  out: string
  err: string
}

/** The command in a folder of its own. */
function inFolder(cwd: string, program: string, args: string[]): Promise<Ended> {
  const child = spawn(program, args, { cwd, env: { ...process.env, NODE_OPTIONS: '' } })
  const ended: Ended = { code: null, out: '', err: '' }
  child.stdout.on('data', (data) => (ended.out += data))
  child.stderr.on('data', (data) => (ended.err += data))
  return new Promise((resolve) => child.once('close', (code) => resolve({ ...ended, code })))
}

describe('lapsus record --mark', () => {
  const folder = mkdtempSync(join(tmpdir(), 'lapsus-marks-'))
  const out = join(folder, 'take.lapsus')
  before(() => symlinkSync(join(ROOT, 'node_modules'), join(folder, 'node_modules')))
  after(() => rmSync(folder, { recursive: true, force: true }))

  const record = (cwd: string, options: string[], command: string[]) =>
    inFolder(cwd, process.execPath, [
      ...[join(ROOT, 'packages/cli/bin/lapsus.mjs'), 'record', '--out', out, ...options, '--', ...command],
    ])
  function recorded(): AnyRecord[] {
    const records: AnyRecord[] = []
    new RecordReader().push(readFileSync(out), (one) => records.push(one))
    return records
  }
  const markers = (): Map<string, MarkerDeclaration> =>
    new Map(
      recorded().flatMap((one) =>
        one.record === 'declare' ? one.markers.map((marker) => [marker.name, marker] as const) : [],
      ),
    )
  const frames = () =>
    recorded().reduce((sum, one) => sum + (one.record === 'chunk' ? one.frameStartNs.length : 0), 0)
  function files(name: string, texts: Record<string, string>): string {
    const at = join(folder, name)
    mkdirSync(join(at, 'src'), { recursive: true })
    for (const [file, text] of Object.entries(texts)) writeFileSync(join(at, file), text)
    return at
  }

  const TURNS = `let turns = 0
function turn() { tick(); if (++turns < 20) setTimeout(turn, 2) }
turn()
`

  it('finds the right functions of a game that nobody has marked', async () => {
    const {
      code,
      out: said,
      err,
    } = await record(
      join(ROOT, 'examples/unmarked'),
      ['--mark', '**/*.mjs'],
      [...[process.execPath, 'game.mjs', '2']],
    )
    expect([code, said], err).to.deep.equal([0, '9778 flies caught\n'])
    expect(err).to.match(/^recorded 11\d frames: /)
    const { findings, ledger, take } = JSON.parse(
      (await lapsus(['inspect', out, '--json'])).out,
    ) as Inspection
    expect(take.game).to.equal('unmarked')
    const [first] = findings.filter(({ trouble }) => trouble === 'floor')
    expect(first).to.include({ kind: 'hotspot', at: 'pond/frog.mjs:18' })
    expect(first!.path.at(-1)).to.equal('Frog.seek')
    const names = ledger.map(({ path }) => path.join(' > '))
    expect(names).to.include.members([
      'game.turn > game.tick > Fly.update',
      'game.turn > game.tick > Water.spread',
      'game.turn > game.tick > score.writeScore',
    ])
    expect(markers().get('Water.spread')).to.include({ group: 'pond' })
    // It is called for every comparison of a sort.
    const moments = recorded().flatMap((one) => (one.record === 'chunk' ? one.moments : []))
    const leftOut = moments.filter(({ name }) => name === 'left out as too small')
    expect(leftOut.map(({ data }) => data!['names'])).to.include('frog.distance')
  })

  it('marks what is required, too, and what is written in TypeScript', async () => {
    const scripts = files('scripts', {
      'game.cjs': `'use strict'\nconst { tick } = require('./src/tick.js')\n${TURNS}`,
      'src/tick.js': 'exports.tick = function () { return inner() }\nconst inner = () => 1\n',
    })
    expect(
      (await record(scripts, ['--mark', '**/*.{js,cjs}'], [process.execPath, 'game.cjs'])).code,
    ).to.equal(0)
    expect([...markers().keys()]).to.include.members(['game.turn', 'tick.tick', 'tick.inner'])
    expect(markers().get('tick.inner')!.at).to.deep.include({ file: 'src/tick.js', line: 2 })

    const typed = files('typed', {
      'package.json': '{"type":"module"}',
      'game.ts': `import { tick } from './src/tick.ts'\ntype N = number\n${TURNS.replace('turns = 0', 'turns: N = 0')}`,
      'src/tick.ts':
        'interface Moth { n: number }\n\nexport const tick = (moth: Moth = { n: 1 }): number => moth.n\n',
    })
    const { code, err } = await record(
      typed,
      ['--mark', '**/*.ts'],
      [process.execPath, '--import', 'tsx', 'game.ts'],
    )
    expect(code, err).to.equal(0)
    expect(markers().get('tick.tick')!.at).to.deep.include({ file: 'src/tick.ts', line: 3 })
    expect(frames()).to.be.within(17, 19)
  })

  it('marks an ES module that is required, and says that what it imports is not', async () => {
    const game = files('required', {
      'game.cjs': `const { tick } = require('./src/tick.mjs')\n${TURNS}`,
      'src/tick.mjs': `import { step } from './step.mjs'\nexport function tick() { for (let i = 0; i < 1e4; i++); step() }`,
      'src/step.mjs': 'export function step() {}',
    })
    const { code, err } = await record(game, ['--mark', '**/*.{cjs,mjs}'], [process.execPath, 'game.cjs'])
    expect(code).to.equal(0)
    expect([...markers().keys()]).to.include.members(['game.turn', 'tick.tick'])
    expect([...markers().keys()]).not.to.include('step.step')
    expect(err).to.contain('src/tick.mjs: is an ES module that was required: what it imports is not marked')
    expect(err).not.to.contain('step.mjs: is')
  })

  it('keeps source maps: a squeezed bundle’s markers stand where its sources have them', async () => {
    const at = files('bundled', {
      'src/game.ts': `import { tick } from './tick.ts'\n\n${TURNS}`,
      'src/tick.ts':
        'type Unused = number\n\nexport function tick(): void {\n  if (process.argv[2] === "fail") throw new Error("here")\n}\n',
    })
    buildSync({
      ...{ entryPoints: [join(at, 'src/game.ts')], outfile: join(at, 'dist/game.mjs'), bundle: true },
      ...{ minify: true, keepNames: true, sourcemap: true, platform: 'node', format: 'esm' },
    })
    const { code, err } = await record(at, ['--mark', 'dist/*.mjs'], [process.execPath, 'dist/game.mjs'])
    expect(code, err).to.equal(0)
    const lines = [...markers().values()].flatMap((marker) => (marker.at === null ? [] : [marker.at.line]))
    expect(lines).to.include.members([3, 4])
    // What fails is told by its source as well.
    const failed = await record(
      at,
      ['--mark', 'dist/*.mjs'],
      [...[process.execPath, '--enable-source-maps', 'dist/game.mjs', 'fail']],
    )
    expect(failed.code).to.equal(1)
    expect(failed.err).to.match(/src\/tick\.ts:4:\d+/)
  })

  it('leaves what it does not know as it is, and names it', async () => {
    const at = files('odd', {
      'package.json': '{"type":"module"}',
      'game.js': `import { tick } from './src/tick.js'\n${TURNS}`,
      'src/tick.js':
        "import data from './data.json' assert { type: 'json' }\nexport function tick() { return data }\n",
      'src/data.json': '{"a":1}',
      'src/gen.js': 'export function* g() { yield 1 }\nexport function f() { return 1 }\n',
    })
    writeFileSync(join(at, 'game.js'), `import './src/gen.js'\n${readFileSync(join(at, 'game.js'), 'utf8')}`)
    const { code, err } = await record(at, ['--mark', '**/*.js'], [process.execPath, 'game.js'])
    expect(code, err).to.equal(0)
    expect(err).to.match(/lapsus: src\/tick\.js: nothing is marked: .*\(1:\d+\)/)
    expect(err).to.contain('lapsus: src/gen.js:1: gen.g is not marked: it is a generator')
    expect([...markers().keys()]).to.include('game.turn')
  })

  it('says what to do where no loop is found, and where one is named that there is not', async () => {
    const at = files('sync', {
      'game.mjs':
        'function step() { return 1 }\nfunction main() { for (let i = 0; i < 30; i++) step() }\nmain()\n',
    })
    const game = [process.execPath, 'game.mjs']
    const none = await record(at, ['--mark', '*.mjs'], game)
    expect(none.code).to.equal(2)
    expect(none.err).to.contain('say with --frame which one begins a frame')
    const wrong = await record(at, ['--mark', '*.mjs', '--frame', 'game.nothing'], game)
    expect(wrong.err).to.contain('no marked function "game.nothing" was called')
    const named = await record(at, ['--mark', '*.mjs', '--frame', 'game.step'], game)
    expect(named.code, named.err).to.equal(0)
    expect(frames()).to.equal(30)
    const alone = await record(at, ['--frame', 'game.step'], game)
    expect([alone.code, alone.err.includes('--mark')]).to.deep.equal([2, true])
  })

  it('uses the probe of a game that has one, with its own markers and frames', async () => {
    const at = files('own', {
      'game.ts': `import { createProbe } from '${join(ROOT, 'packages/probe/src/node.ts')}'
import { step } from './src/step.ts'
const probe = createProbe({ game: 'Own' })
const sim = probe.marker('sim')
for (let i = 0; i < 12; i++) {
  probe.frame()
  probe.run(sim, () => step())
}
await probe.close()
`,
      'src/step.ts': 'export function step(): number { return 1 }\n',
      'package.json': '{"type":"module"}',
    })
    const { code, err } = await record(
      at,
      ['--mark', 'src/**'],
      [process.execPath, '--import', 'tsx', 'game.ts'],
    )
    expect(code, err).to.equal(0)
    expect((recorded()[0] as { game: string }).game).to.equal('Own')
    expect(frames()).to.equal(12)
    const { ledger } = JSON.parse((await lapsus(['inspect', out, '--json'])).out) as Inspection
    expect(ledger.find(({ path }) => path.join() === 'sim,step.step')!.calls).to.equal(12)
  })

  it('harms nothing: the whole suite of a library passes as it does without', async () => {
    const library = join(ROOT, 'node_modules/cborg')
    const at = join(folder, 'cborg')
    for (const part of ['package.json', 'cborg.js', 'interface.ts', 'lib', 'test'])
      if (existsSync(join(library, part))) cpSync(join(library, part), join(at, part), { recursive: true })
    // Three need a package that is not there.
    const suite = readdirSync(join(library, 'test'))
      .filter((name) => /^test-.*\.js$/.test(name) && !/fuzz|length|partial/.test(name))
      .map((name) => `test/${name}`)
    const mocha = [
      // What an ES module imports that is required passes the hooks of Node 20 by.
      '--no-experimental-require-module',
      join(ROOT, 'node_modules/mocha/bin/mocha.js'),
      '--no-config',
      '--reporter',
      'json',
      ...suite,
    ]
    interface Report {
      stats: { tests: number; passes: number; failures: number }
    }
    const statsOf = ({ out: said, err }: Ended) => {
      expect(said, err).to.contain('"stats"')
      return (JSON.parse(said.slice(said.indexOf('{\n'))) as Report).stats
    }
    const before = statsOf(await inFolder(at, process.execPath, mocha))
    expect(before.tests).to.be.greaterThan(200)
    expect(before.failures).to.equal(0)
    const marked = await record(
      at,
      ['--mark', 'lib/**', '--mark', 'cborg.js', '--frame', 'encode.encode'],
      [...[process.execPath, ...mocha]],
    )
    expect(marked.code, marked.err).to.equal(0)
    expect(statsOf(marked)).to.include({ tests: before.tests, passes: before.passes, failures: 0 })
    expect([...markers().keys()]).to.include.members([
      'encode.encode',
      'encode.tokensToEncoded',
      'Bl.toBytes',
    ])
    expect(frames()).to.be.greaterThan(100)
  })
})
