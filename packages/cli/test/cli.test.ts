/** The built command, run as a person would run it. */
import { expect } from 'chai'
import { execFileSync, spawnSync } from 'node:child_process'
import { existsSync, mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { gzipSync } from 'node:zlib'
import {
  endRecord,
  encodeCbor,
  encodeRecord,
  RecordReader,
  TAKEN_UNKNOWN,
  type AnyRecord,
  type ChunkRecord,
  type TakeRecord,
  VERSION,
} from '@lapsus/core/format'
import type { StorageReport, TakeDetail, TakeSummary } from '@lapsus/api'
import { percentile } from '@lapsus/core/stats'
import {
  bytesOf,
  chunkRecord,
  declareRecord,
  node,
  takeRecord,
  type FrameSpec,
} from '../../core/test/support/takes.ts'
import { nightRecords } from '../../core/test/support/night.ts'
import { richTake } from '../../core/test/support/rich-take.ts'
import { getJson, testServer } from '../../server/test/support.ts'
import type { ProofTold } from '@lapsus/core/compare'
import type { ForecastAnswer } from '@lapsus/core/questions/forecast'
import type { TrialAnswer } from '@lapsus/core/questions/trial'
import { BATS, GAME, lapsus, ROOT, standBefore, testFolder } from './support.ts'
import type { Inspection } from '../src/inspect.ts'

const MS = 1_000_000
const { folder, file } = testFolder()

const workMs = (i: number) => (i % 50 === 49 ? 30 : 4 + (i % 7))
const frame = (i: number): FrameSpec => ({
  lanes: [
    [node(0, (workMs(i) - 1) * MS, [node(1, 0.25 * MS), node(1, 0.75 * MS)]), node(2, 10 * MS)],
    [node(1, 0.5 * MS)],
  ],
  restNs: 0,
})
const FRAMES = 200
const MARKERS = [{ name: 'sim' }, { name: 'moth.update' }, { name: 'refresh', kind: 'wait:refresh' as const }]

function sample(): AnyRecord[] {
  const records: AnyRecord[] = [takeRecord(), declareRecord(1, MARKERS, ['main', 'worker 1'])]
  let startNs = 0
  for (let at = 0; at < FRAMES; at += 40) {
    const chunk = chunkRecord(
      records.length,
      Array.from({ length: 40 }, (_, i) => frame(at + i)),
      startNs,
    )
    startNs = chunk.frameStartNs.at(-1)! + chunk.frameDurationNs.at(-1)!
    records.push(chunk)
  }
  return [...records, endRecord(records.length, 0)]
}

describe('lapsus inspect', () => {
  it('prints the figures of a take as JSON, all of them right', async () => {
    const { code, out, err } = await lapsus(['inspect', file('good.lapsus', bytesOf(sample())), '--json'])
    expect(err).to.equal('')
    expect(code).to.equal(0)
    const { take, frames, ledger } = JSON.parse(out) as Inspection
    const work = Array.from({ length: FRAMES }, (_, i) => workMs(i))
    expect(take).to.deep.equal({
      format: 'take',
      conditions: { device: 'bench', seed: 7 },
      game: 'Test Game',
      frames: FRAMES,
      durationMs: work.reduce((sum, ms) => sum + ms + 10, 0),
      targetFps: 60,
      lanes: ['main', 'worker 1'],
      markers: 3,
      spans: FRAMES * 5,
      dropped: 0,
      repaired: 0,
      complete: true,
    })
    expect(frames.budgetMs).to.be.closeTo(16.667, 0.001)
    for (const [name, p] of [
      ['p50', 0.5],
      ['p95', 0.95],
      ['p99', 0.99],
      ['p999', 0.999],
      ['worst', 1],
    ] as const) {
      expect(frames.work[name], name).to.be.closeTo(percentile(work, p), 1e-9)
    }
    expect(frames).to.include({ over: 4, overShare: 0.02 })
    expect(frames.late).to.equal(work.filter((ms) => ms + 10 > 17.5).length)
    expect(frames.held).to.equal(frames.late - 4)
    expect(ledger.map(({ path, lane }) => `${lane}: ${path.join('/')}`)).to.deep.equal([
      'main: refresh',
      'main: sim',
      'main: sim/moth.update',
      'worker 1: moth.update',
    ])
    const moths = ledger[2]!
    expect(moths).to.include({ calls: 400, callsPerFrame: 2, selfMsPerFrame: 1, totalMsPerFrame: 1 })
    expect(moths.selfP99Ms).to.be.closeTo(1, 0.001)
    expect(ledger[1]!.selfP99Ms).to.be.closeTo(
      percentile(
        work.map((ms) => ms - 1),
        0.99,
      ),
      0.03,
    )
    expect(ledger[1]!.totalMs).to.be.closeTo(
      work.reduce((sum, ms) => sum + ms, 0),
      1e-9,
    )
  })

  it('says what is wrong: findings, spikes with their causes, collections, roster', async () => {
    const path = file('night.lapsus', bytesOf(nightRecords('one-night')))
    const { spikes, findings, collections, roster } = JSON.parse(
      (await lapsus(['inspect', path, '--json'])).out,
    ) as Inspection
    expect(spikes.map(({ frame, fromFrame, toFrame }) => [frame, fromFrame, toFrame])).to.deep.equal([
      [60, 60, 60],
      [160, 160, 160],
      [260, 260, 260],
      [360, 360, 360],
    ])
    expect(spikes[0]).to.include({ family: 0, moment: 'gate' })
    expect(spikes[0]!.excessMs).to.be.closeTo(18, 1)
    expect(spikes[0]!.workMs).to.be.greaterThan(16.67)
    const [cause] = spikes[0]!.causes
    expect(cause).to.deep.include({ path: ['sim', 'search'], calls: 30, usualCalls: 0, why: 'more-calls' })
    expect(cause!.excessMs).to.be.closeTo(18, 1e-6)
    const needless = findings.find(({ kind }) => kind === 'needless-updates')!
    expect(needless).to.deep.include({ path: ['sim', 'npc'], confidence: 'high', trouble: 'floor' })
    expect(needless.costMsPerFrame).to.be.closeTo(0.75, 1e-6)
    expect(needless.recoverableMsPerFrame).to.be.closeTo(0.75, 1e-6)
    expect(needless.remedies).to.include('sleep')
    expect(needless.frames).to.have.length(12)
    expect(needless.text).to.contain('15.0 of these change nothing')
    expect(collections).to.deep.equal([])
    expect(roster.find(({ name }) => name === 'npcs')).to.deep.include({
      instances: 20,
      asleep: 0.5,
      path: ['sim', 'npc'],
    })
  })

  it('reports to people what is worth their while, floor and single frames apart', async () => {
    const path = file('night.lapsus', bytesOf(nightRecords('one-night')))
    const { out } = await lapsus(['inspect', path])
    expect(out).to.match(/What raises the floor of every frame:\n 1\. .*\n {4}[a-z-]+, sim/)
    expect(out).to.contain('What makes single frames stick out:')
    expect(out).to.contain('4 frames at “gate” (4 of its 4) took')
    expect(out).to.match(
      /4 spikes, the worst:\n {4}frame \d+: .* at “gate”: search ran 30 times for 18\.0 ms, usually not at all \(\+18\.0 ms\)/,
    )
    const quiet = (await lapsus(['inspect', path, '--target', '5'])).out
    expect(quiet).to.contain('Nothing worth 1 % of the budget was found.')
  })

  it('judges by another target, reads gzip, and prints a report for people', async () => {
    const path = file('good.lapsus.gz', gzipSync(bytesOf(sample())))
    const at120 = JSON.parse((await lapsus(['inspect', path, '--json', '--target', '120'])).out) as Inspection
    expect(at120.take.targetFps).to.equal(120)
    expect(at120.frames.budgetMs).to.be.closeTo(8.333, 0.001)
    expect(at120.frames.over).to.equal(
      Array.from({ length: FRAMES }, (_, i) => workMs(i)).filter((ms) => ms > 8.34).length,
    )
    const { out } = await lapsus(['inspect', path])
    expect(out).to.contain('Test Game: 200 frames')
    expect(out).to.contain('over budget 4 (2 %)')
    expect(out).to.contain('sim > moth.update')
  })

  it('takes a take of one frame, and of none', async () => {
    const head = sample().slice(0, 2)
    const one = file('one.lapsus', bytesOf([...head, chunkRecord(2, [frame(0)]), endRecord(3, 0)]))
    const single = JSON.parse((await lapsus(['inspect', one, '--json'])).out) as Inspection
    expect(single.take).to.include({ frames: 1, durationMs: 14, complete: true })
    expect(single.frames.work).to.deep.equal({ p50: 4, p95: 4, p99: 4, p999: 4, worst: 4 })
    const none = file('none.lapsus', bytesOf([...head, endRecord(2, 0)]))
    const { code, out } = await lapsus(['inspect', none, '--json'])
    expect(code).to.equal(0)
    expect((JSON.parse(out) as Inspection).take).to.include({ frames: 0, spans: 0, durationMs: 0 })
    expect((JSON.parse(out) as Inspection).ledger).to.deep.equal([])
    expect((await lapsus(['inspect', none])).out).to.contain('0 frames')
  })

  it('uses a cut file up to its last whole record', async () => {
    const whole = bytesOf(sample())
    const { code, out, err } = await lapsus([
      'inspect',
      file('cut.lapsus', whole.subarray(0, whole.length - 2000)),
      '--json',
    ])
    expect(code).to.equal(0)
    const { take } = JSON.parse(out) as Inspection
    expect(take).to.include({ frames: 160, complete: false })
    expect(err).to.contain('breaks off after record 5')
  })

  it('keeps what came before a bad record, names it, and ends with 2', async () => {
    const bad = encodeCbor({ record: 'chunk', sequence: 3, frames: { start: 'soon' } })
    const bytes = Buffer.concat([...sample().slice(0, 3).map(encodeRecord), bad])
    const { code, out, err } = await lapsus(['inspect', file('bad.lapsus', bytes), '--json'])
    expect(code).to.equal(2)
    expect((JSON.parse(out) as Inspection).take).to.include({ frames: 40, complete: false })
    expect(err).to.match(/bad\.lapsus: record 3 at byte \d+: expected "start" to be a typed array/)
    expect(err.trim().split('\n')).to.have.length(1)
  })

  it('ends with 2 and one line for what cannot be read at all', async () => {
    const cases: [string, string][] = [
      [join(folder, 'missing.lapsus'), 'there is no such file'],
      [folder, 'is a folder'],
      [file('empty.lapsus', new Uint8Array(0)), 'is empty'],
      [
        file('picture.png', Buffer.from([0x89, 0x50, 0x4e, 0x47])),
        'it begins with bytes that no take file begins with; takes come as take files, or in one of several forms of JSON',
      ],
      [file('readme.txt', Buffer.from('Read me\nfirst')), 'it is text, and no JSON'],
      [file('stub.lapsus', encodeRecord(takeRecord()).subarray(0, 20)), 'breaks off within its first record'],
      [file('fake.gz', Buffer.from([0x1f, 0x8b, 9, 9, 9, 9])), 'gzip'],
      [file('text.json', Buffer.from('{"a":1}')), 'expected'],
    ]
    for (const [path, message] of cases) {
      const { code, out, err } = await lapsus(['inspect', path])
      expect(code, path).to.equal(2)
      expect(out, path).to.equal('')
      expect(err, path).to.contain(message)
      expect(err.trim().split('\n'), path).to.have.length(1)
    }
    expect((await lapsus(['inspect', 'x', '--target', '-3'])).code).to.equal(2)
    expect((await lapsus(['dance'])).code).to.equal(2)
    expect((await lapsus(['--help'])).code).to.equal(0)
  })
})

describe('lapsus forecast', () => {
  const plan = (name: string, items: object[], more: object = {}) =>
    file(
      name,
      Buffer.from(JSON.stringify({ format: 'lapsus-plan', version: 1, name: 'a plan', items, ...more })),
    )
  const take = () => file('planned.lapsus', bytesOf(nightRecords('planned-night')))

  it('prints before and after, and what each item brings, as JSON', async () => {
    const items = [
      { remedy: 'sleep', path: ['sim', 'npc'], parameters: { wake: 0 } },
      { remedy: 'react', path: ['sim', 'text'] },
    ]
    const { code, out, err } = await lapsus([
      'forecast',
      take(),
      '--plan',
      plan('good.json', items),
      '--json',
    ])
    expect([code, err]).to.deep.equal([0, ''])
    const forecast = JSON.parse(out) as ForecastAnswer
    const inspected = JSON.parse((await lapsus(['inspect', take(), '--json'])).out) as Inspection
    expect(forecast.before.frames).to.deep.include(inspected.frames)
    expect(forecast.before.spikes).to.equal(inspected.spikes.length)
    const [sleep, react] = forecast.items
    expect(sleep!.gainMsPerFrame).to.be.closeTo(0.75, 0.01)
    expect(react!.path).to.deep.equal(['sim', 'text'])
    expect(react!.assumptions).to.deep.equal([
      { name: 'dispatch', words: 'cost of one announcement', unit: 'µs', value: 2, origin: 'assumed' },
    ])
    expect(react!.price[0]).to.contain('every writer must announce')
    const gained = forecast.items.reduce((sum, { gainMsPerFrame }) => sum + gainMsPerFrame, 0)
    expect(forecast.before.frames.work.p50 - forecast.after.frames.work.p50).to.be.closeTo(gained, 0.8)
  })

  it('proves a plan by takes recorded with the fix', async () => {
    const items = [{ remedy: 'drop', path: ['sim', 'text'] }]
    const args = ['forecast', take(), '--plan', plan('proved.json', items), '--with']
    const told = JSON.parse((await lapsus([...args, take(), '--json'])).out) as ProofTold
    // Recorded without the fix it brought nothing.
    expect(told.lines.find(({ id }) => id === 'mean')).to.include({ inRange: false })
    expect(told.paths.map(({ path }) => path.at(-1))).to.include('text')
    const report = await lapsus([...args, take(), take()])
    expect([report.code, report.err]).to.deep.equal([0, ''])
    expect(report.out).to.match(/were forecast; what came out lies outside its range/)
    expect(report.out).to.contain('sim > text')
    const missing = await lapsus([...args, `${take()}:seek=near`])
    expect([missing.code, missing.err]).to.deep.equal([
      2,
      'lapsus: the take has no variant "seek=near"; there are: none\n',
    ])
  })

  it('names what makes no sense, and works out the rest', async () => {
    const items = [
      { remedy: 'drop', path: ['gone'] },
      { remedy: 'timer', path: ['sim', 'text'], parameters: { every: -1 } },
      { remedy: 'dance', path: ['sim'] },
      { remedy: 'drop', path: ['sim', 'text'] },
      { remedy: 'drop', path: ['lost'] },
    ]
    const { code, out, err } = await lapsus(['forecast', take(), '--plan', plan('odd.json', items)])
    expect(code).to.equal(0)
    expect(err).to.contain('item 1: the take has no path gone')
    expect(err).to.contain('item 2: “runs every” must be a number from 1 to 60000, got -1')
    expect(err).to.contain('item 3 is left out: there is no remedy "dance"')
    expect(err).to.contain('item 5: the take has no path lost')
    expect(out).to.match(/4\. drop: sim > text\n {3}gain 0\.500 ms a frame/)
  })

  it('ends with 2 for what is no plan', async () => {
    const cases: [string, string][] = [
      [join(folder, 'missing.json'), 'there is no such file'],
      [file('no.json', Buffer.from('{')), 'is neither JSON nor a plan as Markdown'],
      [
        file('other.json', Buffer.from('{"format":"shopping"}')),
        '"format" must be "lapsus-plan", got "shopping"',
      ],
      [plan('later.json', [], { version: 2 }), 'this plan is of version 2; version 1 is understood here'],
    ]
    for (const [path, words] of cases) {
      const { code, err } = await lapsus(['forecast', take(), '--plan', path])
      expect([code, err.trim().split('\n').length]).to.deep.equal([2, 1])
      expect(err).to.contain(words)
    }
  })
})

describe('lapsus and other formats', () => {
  const inspection = async (...args: string[]) =>
    JSON.parse((await lapsus(['inspect', ...args, '--json'])).out) as Inspection

  it('converts files without a server: to JSON lines and back without loss, to OpenTelemetry, to CSV', async () => {
    const path = file('rich.lapsus', bytesOf(richTake()))
    const lines = join(folder, 'rich.jsonl')
    expect((await lapsus(['export', path, '--out', lines, '--format', 'jsonl'])).code).to.equal(0)
    const back = join(folder, 'back.lapsus')
    expect((await lapsus(['export', lines, '--out', back])).code).to.equal(0)
    expect(readFileSync(back).equals(readFileSync(path))).to.equal(true)
    const otlp = join(folder, 'rich.otlp.json')
    await lapsus(['export', path, '--out', otlp, '--format', 'otlp'])
    const traced = await inspection(otlp)
    expect(traced.take).to.deep.include({ format: 'otlp-json', frames: 2, lanes: ['main', 'worker'] })
    const csv = join(folder, 'rich.csv')
    await lapsus(['export', path, '--out', csv, '--format', 'csv'])
    expect(readFileSync(csv, 'utf8').split('\r\n')).to.have.length(4)
    expect((await lapsus(['export', path, '--out', csv, '--format', 'pdf'])).code).to.equal(2)
    expect((await lapsus(['export', file('no.bin', Buffer.from('no')), '--out', csv])).err).to.contain(
      'no.bin',
    )
  })

  it('inspects what runs said, and foreign files with their frame marker', async () => {
    const { ledger, take } = await inspection(file('rich2.lapsus', bytesOf(richTake())))
    expect(take.conditions.mode).to.equal('bytes')
    const less = await inspection(join(folder, 'rich2.lapsus'), '--less-recorder')
    // Three spans of 90 ns in frame 0, one in frame 1.
    expect(less.recorder).to.deep.equal({ spanNs: 90, msPerFrame: 0.00018, takenOut: true })
    const selfOf = ({ ledger: lines }: Inspection) =>
      lines.find(({ path }) => path.join('>') === 'sim')!.selfMs
    expect(selfOf({ ledger } as Inspection) - selfOf(less)).to.be.closeTo((2 * 40 + 50) / MS, 1e-9)
    expect(
      (await lapsus(['inspect', file('plain.lapsus', bytesOf(sample())), '--less-recorder'])).code,
    ).to.equal(2)
    expect(ledger.find(({ path }) => path.join('>') === 'sim')).to.include({ needless: 1, bytes: 4600 })
    const entries = [0, 16].map((startTime) => ({
      name: 'turn',
      entryType: 'measure',
      startTime,
      duration: 15,
    }))
    const timeline = file('page.json', Buffer.from(JSON.stringify([...entries, { name: 1 }])))
    expect((await lapsus(['inspect', timeline])).err).to.contain('--frame-marker')
    const { code, out, err } = await lapsus(['inspect', timeline, '--frame-marker', 'turn'])
    expect(out).to.contain('page: 2 frames')
    expect(err).to.contain('1 entry was passed over: entry 2')
    expect(code).to.equal(0)
  })

  it('reads what the emitter for C writes, its trial too', async () => {
    const program = join(folder, 'bats')
    execFileSync('gcc', ['-O2', '-o', program, join(ROOT, 'examples/c/bats.c'), '-pthread', '-lm'])
    const path = join(folder, 'c.lapsus')
    execFileSync(program, [path])
    const { take, ledger } = await inspection(path)
    expect(take).to.deep.include({ game: 'Bats in C', frames: 300, complete: true, repaired: 0, dropped: 0 })
    const bat = ledger.find(({ path: names }) => names.join('>') === 'bats.update>bat.update')!
    expect(bat.calls).to.equal(300 * 40)
    expect(ledger.find(({ path: names }) => names[0] === 'hunt')!.calls).to.equal(300)
    const trial = JSON.parse((await lapsus(['ask', 'trial', path])).out) as TrialAnswer
    expect(trial).to.deep.include({ name: 'hunt', variants: ['every pair', 'every other pair'], rounds: 15 })
    const hunts = trial.results[0]!.paths.find(({ path: names }) => names[0] === 'hunt')!
    const frames = async (variant: string) => {
      const inspected = await lapsus(['inspect', path, '--json', '--variant', variant])
      return inspected.code === 0 ? (JSON.parse(inspected.out) as Inspection).take.frames : inspected.err
    }
    expect(await frames('hunt=every pair')).to.equal(trial.counted[0])
    expect(await frames('hunt=none')).to.contain('there are: hunt=every pair, hunt=every other pair')
    // How much it cost is the machine's; both ways cost something.
    expect(Math.min(hunts.before, hunts.after)).to.be.greaterThan(0)
    // Where the system tells how long it kept the thread waiting, every frame says it.
    const taken: number[] = []
    new RecordReader().push(readFileSync(path), (record) => {
      if (record.record === 'chunk') taken.push(...record.takenNs)
    })
    const tells = existsSync('/proc/thread-self/schedstat')
    expect(taken).to.have.length(300)
    expect(taken.every((ns) => (tells ? ns >= 0 && ns < 60e9 : ns === TAKEN_UNKNOWN))).to.equal(true)
  })

  it('holds what docs/instrumenting.md shows as JSON lines', async () => {
    const docs = readFileSync(join(ROOT, 'docs/instrumenting.md'), 'utf8')
    const [, example] = /```jsonl\n([^]*?)```/.exec(docs)!
    const { take, ledger } = await inspection(file('example.jsonl', Buffer.from(example!)))
    expect(take).to.include({ format: 'json-lines', frames: 2, complete: true })
    expect(ledger.length).to.be.greaterThan(1)
  })
})

describe('lapsus record', () => {
  it('tells the probe how to record', async () => {
    const out = join(folder, 'kept.lapsus')
    const run = (args: string[]) =>
      lapsus([
        'record',
        '--out',
        out,
        ...args,
        '--',
        process.execPath,
        GAME,
        '--seconds',
        '4',
        '--flaws',
        'none',
      ])
    await run(['--trip-moment', 'gate-shut', '--keep-seconds', '1'])
    const records: AnyRecord[] = []
    new RecordReader().push(readFileSync(out), (record) => records.push(record))
    expect((records[0] as TakeRecord).conditions.mode).to.equal('keep-last')
    const chunks = records.filter((record): record is ChunkRecord => record.record === 'chunk')
    expect(chunks[0]!.stretch!.cause).to.equal('moment gate-shut')
    expect(chunks[0]!.frameStartNs[0]).to.be.greaterThan(0.9e9)
    expect((await run(['--trip-marker', 'x'])).err).to.contain('expected a marker’s name')
    expect((await run(['--mode', 'odd'])).code).to.equal(2)
  })

  it('records a program into a file, and passes on its exit code', async () => {
    const out = join(folder, 'night.lapsus')
    const { code, err } = await lapsus([
      'record',
      '--out',
      out,
      '--',
      process.execPath,
      GAME,
      '--seconds',
      '1',
      '--flaws',
      'none',
    ])
    expect(err).to.contain('recorded 60 frames')
    expect(code).to.equal(0)
    const { take } = JSON.parse((await lapsus(['inspect', out, '--json'])).out) as Inspection
    expect(take).to.deep.include({
      game: 'Moth Post',
      frames: 60,
      complete: true,
      lanes: ['main', 'wind worker'],
    })
    expect(
      (await lapsus(['record', '--out', out, '--', process.execPath, GAME, '--flaws', 'nonsense'])).code,
    ).to.equal(1)
  })

  it('keeps the lines of source around markers, and what is said of the build', async () => {
    const game = file(
      'placed.py',
      Buffer.from(
        [
          'import os, sys',
          `sys.path.insert(0, ${JSON.stringify(join(ROOT, 'emitters/python'))})`,
          'import lapsus',
          'probe = lapsus.Probe("Placed")',
          'SEEK = probe.marker("seek")  # <b>🌙</b>',
          'if "LATER" in os.environ: open(__file__, "a").write("# changed\\n")',
          'for frame in range(3):',
          '    probe.frame()',
          '    with probe.span(SEEK): pass',
          'probe.close()',
          '',
        ].join('\n'),
      ),
    )
    const out = join(folder, 'placed.lapsus')
    const placed = async (options: string[], env: Record<string, string> = {}) => {
      const args = ['record', '--out', out, ...options, '--', 'python3', game]
      const { code, err } = await lapsus(args, env)
      expect([code, err]).to.deep.equal([0, `recorded 3 frames: ${out}\n`])
      const records: AnyRecord[] = []
      new RecordReader().push(readFileSync(out), (record) => records.push(record))
      const markers = records.flatMap((record) => (record.record === 'declare' ? record.markers : []))
      const { at } = markers.find(({ name }) => name === 'seek')!
      return { at, conditions: (records[0] as TakeRecord).conditions }
    }
    const { at, conditions } = await placed(['--build', '1.4.0', '--scene', 'yard'])
    expect(at).to.deep.include({ file: game, line: 5 })
    expect(at!.source!.from).to.equal(3)
    expect(at!.source!.lines[2]).to.equal('SEEK = probe.marker("seek")  # <b>🌙</b>')
    expect(conditions).to.include({ build: '1.4.0', scene: 'yard' })
    const { out: words } = await lapsus(['inspect', out, '--json'])
    const { ledger } = JSON.parse(words) as Inspection
    expect(ledger.find(({ path }) => path.at(-1) === 'seek')!.at).to.equal(`${game}:5`)
    expect((await placed(['--no-source'])).at).to.deep.equal({ file: game, line: 5, source: null })
    // What was changed meanwhile is not the code that was played.
    expect((await placed([], { LATER: '1' })).at!.source).to.equal(null)
  })

  it('keeps lines of source, and of nothing else that a take may name', async () => {
    const names = ['game.lua', 'secrets.txt', '.env', 'id_rsa', 'notes.md']
    for (const name of names) file(name, Buffer.from('one\ntwo\n'))
    const records = sample().map((record) =>
      record.record === 'declare'
        ? {
            ...record,
            markers: record.markers.map((marker, i) => ({
              ...marker,
              at: { file: join(folder, names[i % names.length]!), line: 2, source: null },
            })),
          }
        : record,
    )
    const written = file('made.lapsus', bytesOf(records))
    const out = join(folder, 'named.lapsus')
    const script = `require('fs').copyFileSync(${JSON.stringify(written)}, process.env.LAPSUS_TO)`
    await lapsus(['record', '--out', out, '--', process.execPath, '-e', script])
    const found = new Map<string, boolean>()
    new RecordReader().push(readFileSync(out), (record) => {
      if (record.record !== 'declare') return
      for (const { at } of record.markers) found.set(at!.file, at!.source !== null)
    })
    const kept = [...found].flatMap(([name, isKept]) => (isKept ? [name] : []))
    expect(kept).to.deep.equal([join(folder, 'game.lua')])
    expect(found.size).to.be.greaterThan(1)
  })

  it('leaves a file that it cannot read whole as it is', async () => {
    const out = join(folder, 'broken.lapsus')
    const bytes = bytesOf(sample()).subarray(0, -5)
    const script = `require('fs').writeFileSync(process.env.LAPSUS_TO, Buffer.from('${Buffer.from(bytes).toString('base64')}', 'base64'))`
    await lapsus(['record', '--out', out, '--build', 'x', '--', process.execPath, '-e', script])
    expect(readFileSync(out).equals(bytes)).to.equal(true)
    expect(readdirSync(folder).filter((name) => name.endsWith('.part'))).to.deep.equal([])
  })

  it('says when nothing was recorded, and what cannot be run', async () => {
    const out = join(folder, 'nothing.lapsus')
    const silent = await lapsus(['record', '--out', out, '--', process.execPath, '-e', '1'])
    expect(silent.code).to.equal(2)
    expect(silent.err).to.contain('ended without recording a frame')
    expect(existsSync(out)).to.equal(false)
    // A program that failed says why itself; its code goes on, and that of a signal as shells have it.
    for (const [script, code] of [
      ['process.exit(7)', 7],
      ['process.kill(process.pid, "SIGKILL"); setTimeout(() => {}, 1e4)', 128 + 9],
    ] as const) {
      const failed = await lapsus(['record', '--out', out, '--', process.execPath, '-e', script])
      expect(failed.code).to.equal(code)
      expect(failed.err).to.contain('ended without recording a frame')
    }
    const named = await lapsus(['record', '--out', out, '--name', 'x', '--', process.execPath, '-e', '1'])
    expect([named.code, named.err]).to.deep.equal([
      2,
      'lapsus: --name and --tag are for takes of the library; a file has neither\n',
    ])
    const missing = await lapsus(['record', '--out', out, '--', 'no-such-program'])
    expect(missing.code).to.equal(2)
    expect(missing.err).to.contain('cannot run "no-such-program"')
  })
})

describe('lapsus and a running server', () => {
  it('imports, exports and records through it', async () => {
    const server = await testServer()
    const env = { LAPSUS_URL: server.address }
    const path = file('import.lapsus', bytesOf(sample()))
    const imported = await lapsus(['import', path], env)
    expect(imported.out).to.equal(`200 frames: ${server.address}/takes/test-take-1\n`)
    expect(imported.code).to.equal(0)
    const out = join(folder, 'export.lapsus')
    expect((await lapsus(['export', 'test-take-1', '--out', out], env)).code).to.equal(0)
    const inspection = async (take: string) =>
      JSON.parse((await lapsus(['inspect', take, '--json'])).out) as Inspection
    expect(await inspection(out)).to.deep.equal(await inspection(path))
    const read: AnyRecord[] = []
    new RecordReader().push(readFileSync(out), (record) => read.push(record))
    expect(read).to.deep.equal(sample())

    const missing = await lapsus(['export', 'no-such-take', '--out', out], env)
    expect(missing.code).to.equal(2)
    expect(missing.err).to.contain('there is no take of that name')
    const refused = await lapsus(['import', file('noise.bin', Buffer.from('noise'))], env)
    expect(refused.code).to.equal(2)
    expect(refused.err).to.contain('noise.bin')

    const recorded = await lapsus(
      [
        ...['record', '--name', 'First night', '--tag', 'before', '--tag', 'läuft'],
        ...['--build', '1.4.0', '--scene', 'yard'],
        ...['--', process.execPath, GAME, '--seconds', '1', '--flaws', 'none'],
      ],
      env,
    )
    expect(recorded.err).to.contain('recorded 60 frames')
    expect(recorded.code).to.equal(0)
    const [take] = await getJson<TakeSummary[]>(server, '/api/takes?game=Moth%20Post')
    expect(take).to.deep.include({ name: 'First night', tags: ['before', 'läuft'] })
    expect(take!.conditions).to.include({ build: '1.4.0', scene: 'yard' })
    const detail = await getJson<TakeDetail>(server, `/api/takes/${take!.id}`)
    const beat = detail.markers.find(({ name }) => name === 'wing.beat')!.at!
    expect(beat.file).to.match(/^games\/moth-post\/src\/.*\.ts$/)
    const lines = readFileSync(join(ROOT, beat.file), 'utf8').split('\n')
    expect(beat.source!.lines).to.deep.equal(lines.slice(beat.source!.from - 1, beat.line + 6))
    expect(lines[beat.line - 1]).to.contain('wing.beat')
    // A game in another language is told where to, just the same.
    const bats = await lapsus(['record', '--', ...BATS], env)
    expect(bats.code, bats.err).to.equal(0)
    expect(bats.err).to.contain('recorded 20 frames')
    await server.stop()
  })

  it('keeps the take, and the program’s exit code, where a Lapsus takes no lines of source', async () => {
    const server = await testServer()
    const older = await standBefore(server, (request, response) => {
      if (request.method !== 'PUT') return false
      response.writeHead(405).end('{"detail":"there is no method PUT here"}')
      return true
    })
    const { code, err } = await lapsus(['record', '--', ...BATS], { LAPSUS_URL: older.address })
    older.stop()
    await server.stop()
    expect(code, err).to.equal(0)
    expect(err).to.contain('lapsus: the lines of source are not kept: there is no method PUT here')
    expect(err).to.contain('recorded 20 frames')
  })

  it('ends quietly when whoever reads what it prints has had enough', () => {
    const take = file('enough.lapsus', bytesOf(nightRecords('enough-night')))
    const command = `"${process.execPath}" "${join(ROOT, 'packages/cli/bin/lapsus.mjs')}" export "${take}" --format otlp --out - | head -c 100`
    const { stdout, stderr } = spawnSync('sh', ['-c', command], { encoding: 'utf8' })
    expect(stdout).to.have.length(100)
    expect(stderr).to.equal('')
  })

  it('writes what the ending of a file asks for, and to standard output', async () => {
    const server = await testServer()
    const env = { LAPSUS_URL: server.address }
    const path = file('endings.lapsus', bytesOf(sample()))
    await lapsus(['import', path], env)
    for (const take of [path, 'test-take-1']) {
      const written = async (name: string, ...more: string[]) => {
        const out = name === '-' ? name : join(folder, name)
        const { code, out: said, err } = await lapsus(['export', take, '--out', out, ...more], env)
        expect(code, err).to.equal(0)
        return name === '-' ? said : readFileSync(out, 'utf8')
      }
      expect(await written('endings.csv')).to.match(/^frame,/)
      expect(await written('endings.JSONL')).to.match(/^\{"record":"take"/)
      expect(await written('endings.otlp.json')).to.match(/^\{"resourceSpans"/)
      expect(await written('endings.other')).to.not.match(/^[{f]/)
      expect(await written('endings.txt', '--format', 'jsonl')).to.match(/^\{"record":"take"/)
      // Whole, and nothing beside it.
      expect(await written('-', '--format', 'jsonl')).to.equal(await written('endings.jsonl'))
    }
    const nowhere = await lapsus(['export', path, '--out', join(folder, 'no/such/folder.csv')], env)
    expect(nowhere.code).to.equal(2)
    expect(nowhere.err).to.contain('no/such/folder.csv')
    await server.stop()
  })

  it('converts what is far larger than a file takes at once, without a word', async () => {
    const [head, declare, chunk] = sample() as [AnyRecord, AnyRecord, ChunkRecord]
    const chunks = Array.from({ length: 60 }, (_, i): AnyRecord => ({
      ...chunk,
      sequence: i + 2,
      frameStartNs: chunk.frameStartNs.map((ns) => ns + i * 1e12),
      lanes: chunk.lanes.map((lane) => ({ ...lane, startNs: lane.startNs.map((ns) => ns + i * 1e12) })),
      moments: [],
    }))
    const path = file('large.lapsus', bytesOf([head, declare, ...chunks, endRecord(62)]))
    for (const out of [join(folder, 'large.jsonl'), '-']) {
      const { code, out: said, err } = await lapsus(['export', path, '--format', 'jsonl', '--out', out])
      expect([code, err]).to.deep.equal([0, ''])
      expect((out === '-' ? said : readFileSync(out, 'utf8')).trim().split('\n')).to.have.length(63)
    }
  })

  it('says its version', async () => {
    expect(await lapsus(['--version'])).to.include({ code: 0, out: `${VERSION}\n` })
  })

  it('says what takes use and which leave, also where a password is asked for', async () => {
    const access = { password: 'a long pässword', ingestKeys: { '*': 'the key of all games' } }
    const server = await testServer({ access, retention: { days: 30, bytes: 2e9 } })
    const env = { LAPSUS_URL: server.address, LAPSUS_PASSWORD: access.password }
    expect((await lapsus(['storage'], env)).out).to.equal('No takes.\n')
    await lapsus(['import', file('stored.lapsus', bytesOf(sample()))], env)
    const { out } = await lapsus(['storage'], env)
    expect(out).to.match(/^1 take, stored in [\d.]+ kB\.\nTakes older than 30 days or beyond 2.00 GB in all/)
    const report = JSON.parse((await lapsus(['storage', '--json'], env)).out) as StorageReport
    expect(report).to.include({ takes: 1, keptTakes: 0, keepDays: 30, keepBytes: 2e9 })
    for (const [LAPSUS_PASSWORD, words] of [
      ['', 'sign in first'],
      ['another password', 'that is not the password'],
    ] as const) {
      const { code, err } = await lapsus(['storage'], { ...env, LAPSUS_PASSWORD })
      expect(code).to.equal(2)
      expect(err).to.contain(words)
    }
    await server.stop()
  })

  it('is found by the note that its start has left, whatever other notes say', async () => {
    const server = await testServer()
    const user = join(folder, 'user-state')
    mkdirSync(join(user, 'lapsus'), { recursive: true })
    const env = (state: string) => ({ LAPSUS_STATE: state, XDG_STATE_HOME: user, LAPSUS_URL: undefined })
    const note = (file: string, text: string) => writeFileSync(file, text)
    note(join(user, 'lapsus/running.json'), JSON.stringify({ address: server.address }))
    for (const [name, own] of [
      ['none', null],
      ['broken', '{"addr'],
      ['starting', '{"address":null}'],
      ['killed', '{"address":"http://127.0.0.1:1"}'],
    ] as const) {
      const state = join(folder, `state-${name}`)
      mkdirSync(state)
      if (own !== null) note(join(state, 'running.json'), own)
      const { code, out, err } = await lapsus(['storage'], env(state))
      expect([code, out], `${name}: ${err}`).to.deep.equal([0, 'No takes.\n'])
    }
    await server.stop()
  })

  it('says when none runs', async () => {
    const { code, err } = await lapsus(['export', 'x', '--out', 'y'], { LAPSUS_URL: 'http://127.0.0.1:1' })
    expect(code).to.equal(2)
    expect(err).to.contain('no Lapsus answers at http://127.0.0.1:1')
  })
})
