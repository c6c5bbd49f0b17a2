/** Where in the code markers stand: through real source maps, in real games. */
import { expect } from 'chai'
import { buildSync, transformSync, type BuildOptions } from 'esbuild'
import { spawnSync } from 'node:child_process'
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { findSourceMap, SourceMap as NodeSourceMap, type SourceMapPayload } from 'node:module'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { RecordReader, type AnyRecord, type Place } from '@lapsus/core/format'
import { callerOf, lineOf, placeGiven } from '../src/code-line.ts'
import { nodePlaces } from '../src/node-places.ts'
import { inlineMap, mapAddressOf, originalsOf, readSourceMap } from '../src/source-map.ts'
import { makeProbe, MemorySink, readBack } from './support.ts'

const SOURCES = join(import.meta.dirname, '../src')

/** In two files, with types, so that no line stays where it was. */
const GAME = {
  'game.ts': `import { createProbe } from '${join(SOURCES, 'node.ts')}'
import { Moths } from './moths/moths.ts'

interface Options {
  to: string
  frames: number
}

const options: Options = { to: process.argv[2]!, frames: 3 }
const probe = createProbe({ game: 'Placed', to: options.to })
const update = probe.marker('update', {
  group: 'simulation',
})
const moths = new Moths(probe)
const elsewhere = probe.marker('elsewhere', { at: { file: 'scripts/lamp.script', line: 12 } })
probe.mark(moths, ['seek'])
for (let frame = 0; frame < options.frames; frame++) {
  probe.frame()
  probe.run(update, () => moths.update())
  probe.run(elsewhere, () => moths.seek())
}
await probe.close()
`,
  'moths/moths.ts': `import type { Probe } from '${join(SOURCES, 'node.ts')}'

type Count = number

export class Moths {
  readonly #probe: Probe
  #count: Count = 0
  readonly #beat: number
  constructor(probe: Probe) {
    this.#probe = probe
    this.#beat = probe.marker('wing.beat')
  }
  update(): void {
    this.#probe.run(this.#beat, () => this.#count++)
  }
  seek(): Count {
    return this.#count
  }
}
`,
}

/** What stands on the line where each marker must be found. */
const WHERE: Record<string, [keyof typeof GAME, string]> = {
  update: ['game.ts', "probe.marker('update'"],
  'wing.beat': ['moths/moths.ts', "probe.marker('wing.beat')"],
  'Moths.seek': ['game.ts', 'probe.mark(moths'],
}

describe('the place of a marker', () => {
  const folder = mkdtempSync(join(tmpdir(), 'lapsus-places-'))
  before(() => {
    mkdirSync(join(folder, 'moths'))
    for (const [file, text] of Object.entries(GAME)) writeFileSync(join(folder, file), text)
  })
  after(() => rmSync(folder, { recursive: true, force: true }))

  function bundled(out: string, options: BuildOptions): string {
    const outfile = join(folder, out)
    buildSync({
      ...{ entryPoints: [join(folder, 'game.ts')], bundle: true, outfile, logLevel: 'error' },
      ...{ platform: 'node', format: 'esm', target: 'node20' },
      banner: {
        js: "import { createRequire } from 'node:module'; const require = createRequire(import.meta.url);",
      },
      external: ['bufferutil', 'utf-8-validate'],
      ...options,
    })
    return outfile
  }

  function placesOf(script: string, cwd = folder, flags: string[] = []): Map<string, Place | null> {
    const take = join(folder, 'take.lapsus')
    const { status, stderr } = spawnSync(process.execPath, [...flags, script, take], {
      cwd,
      encoding: 'utf8',
    })
    expect(status, stderr).to.equal(0)
    const records: AnyRecord[] = []
    new RecordReader().push(readFileSync(take), (record) => records.push(record))
    rmSync(take)
    return new Map(
      records.flatMap((record) =>
        record.record === 'declare' ? record.markers.map(({ name, at }) => [name, at] as const) : [],
      ),
    )
  }

  function agree(places: Map<string, Place | null>, below = ''): void {
    for (const [name, [file, text]] of Object.entries(WHERE)) {
      const line = GAME[file].split('\n').findIndex((one) => one.includes(text)) + 1
      expect(places.get(name), name).to.deep.equal({ file: `${below}${file}`, line, source: null })
    }
    expect(places.get('elsewhere')).to.deep.equal({ file: 'scripts/lamp.script', line: 12, source: null })
    expect(places.get('recorder.send')).to.equal(null)
  }

  it('is found through a map beside the script, however it was squeezed', () => {
    agree(placesOf(bundled('squeezed.mjs', { sourcemap: true, minify: true, keepNames: true })))
  })

  it('is found through a map in the script, and where Node itself knows the map', () => {
    agree(placesOf(bundled('inline.mjs', { sourcemap: 'inline' })))
    agree(placesOf(bundled('known.mjs', { sourcemap: true }), folder, ['--enable-source-maps']))
  })

  it('is named from the folder that the game was started in, or else whole', () => {
    const script = bundled('from.mjs', { sourcemap: true })
    agree(placesOf(script, tmpdir()), `${folder.slice(tmpdir().length + 1)}/`)
    const places = placesOf(script, join(folder, 'moths'))
    expect(places.get('update')?.file).to.equal(join(folder, 'game.ts'))
    expect(places.get('wing.beat')?.file).to.equal('moths.ts')
  })

  it('is that of the script where there is no map, or none that can be read', () => {
    const script = bundled('plain.mjs', {})
    const text = readFileSync(script, 'utf8')
    const line = text.split('\n').findIndex((one) => one.includes('probe.marker("update"')) + 1
    expect(placesOf(script).get('update')).to.deep.equal({ file: 'plain.mjs', line, source: null })
    for (const map of ['missing.map', 'data:application/json,{', 'https://example.org/x.map']) {
      writeFileSync(script, `${text}\n//# sourceMappingURL=${map}\n`)
      expect(placesOf(script).get('update'), map).to.deep.equal({ file: 'plain.mjs', line, source: null })
    }
  })

  it('is asked for once, and comes later where it must', () => {
    const asked: string[][] = []
    let answer: ((places: (Place | null)[]) => void) | null = null
    const sink = new MemorySink()
    const probe = makeProbe(sink, {
      tripwires: { markers: { wired: 1_000 } },
      places: (lines, tell) => {
        asked.push(lines.map(({ url }) => url))
        answer = tell
      },
    })
    const marker = probe.marker('sim', { group: 'simulation' })
    expect(probe.marker('wired', { group: 'of the game' })).to.equal(0 + probe.marker('wired'))
    const play = () => {
      probe.frame()
      probe.run(marker, () => {})
    }
    play()
    probe.finish()
    expect(asked).to.have.length(1)
    expect(asked[0]).to.have.length(2)
    for (const url of asked[0]!) expect(url).to.contain('places.test.ts')
    expect(answer).to.be.a('function')
    // Of what the settings name only, the game still tells what it is.
    const [declared] = readBack(sink.records).declares
    expect(declared!.markers.find(({ name }) => name === 'wired')?.group).to.equal('of the game')
  })

  it('that comes after the marker was sent is sent with the next records', async () => {
    let answer: (places: (Place | null)[]) => void = () => {}
    const sink = new MemorySink()
    const probe = makeProbe(sink, { places: (_, tell) => (answer = tell) })
    const marker = probe.marker('sim')
    const until = async (records: number) => {
      while (sink.records.length < records) {
        probe.frame()
        probe.run(marker, () => {})
        await new Promise((resolve) => setTimeout(resolve, 5))
      }
    }
    // The take, what is declared, a chunk.
    await until(3)
    answer([{ file: 'game.ts', line: 3, source: null }])
    await until(5)
    await probe.close()
    const told = readBack(sink.records).declares.flatMap(({ markers }) =>
      markers.filter(({ name }) => name === 'sim'),
    )
    expect(told.map(({ at }) => at?.line ?? null)).to.deep.equal([null, 3])
  })
})

describe('a line of a stack', () => {
  it('is read in every form that V8 writes', () => {
    const at = { line: 12, column: 5 }
    const cases: [string, string][] = [
      [
        'Error\n    at update (file:///game/moths.js:12:5)\n    at x (file:///y.js:1:1)',
        'file:///game/moths.js',
      ],
      ['Error: said\n    at /game/moths.js:12:5', '/game/moths.js'],
      ['    at async Moths.<anonymous> (/a (b)/moths.js:12:5)', '/a (b)/moths.js'],
      [
        '    at Moths.seek [as update] (http://127.0.0.1:5173/src/moths.ts?t=1:12:5)',
        'http://127.0.0.1:5173/src/moths.ts?t=1',
      ],
      ['    at C:\\game\\moths.js:12:5', 'C:\\game\\moths.js'],
      ['    at new Moths (C:\\game\\moths.js:12:5)', 'C:\\game\\moths.js'],
    ]
    for (const [stack, url] of cases) expect(lineOf(stack), stack).to.deep.equal({ url, ...at })
    for (const none of [
      '',
      'Error',
      '    at native',
      '    at eval (<anonymous>:1:1)',
      '    at node:internal/x:1:1',
    ])
      expect(lineOf(none), none).to.equal(null)
  })

  it('is found whatever the game has set, and leaves it as it was', () => {
    const before = Error.stackTraceLimit
    const given: unknown = Reflect.get(Error, 'prepareStackTrace')
    const ask = (): unknown => callerOf(ask)
    try {
      Error.stackTraceLimit = 0
      expect(ask()).to.have.property('line')
      expect(Error.stackTraceLimit).to.equal(0)
      Reflect.set(Error, 'prepareStackTrace', () => ({}))
      expect(ask()).to.equal(null)
      Reflect.set(Error, 'prepareStackTrace', () => {
        throw new Error('of the game')
      })
      expect(ask()).to.equal(null)
      expect(Error.stackTraceLimit).to.equal(0)
    } finally {
      Error.stackTraceLimit = before
      Reflect.set(Error, 'prepareStackTrace', given)
    }
  })

  it('that was given is taken only where a take can hold it', () => {
    expect(placeGiven({ file: 'a', line: 1 })).to.deep.equal({ file: 'a', line: 1, source: null })
    expect(placeGiven({ file: 'x'.repeat(1_000), line: 0xffff_ffff })).to.not.equal(null)
    for (const none of [
      null,
      {},
      { file: '', line: 1 },
      { file: 'x'.repeat(1_001), line: 1 },
      { file: 'a', line: 0 },
      { file: 'a', line: 1.5 },
      { file: 'a', line: 2 ** 32 },
      { file: 'a', line: NaN },
    ])
      expect(placeGiven(none)).to.equal(null)
  })
})

describe('a source map', () => {
  it('is read as Node reads it, at every place of a large script', () => {
    const source = readFileSync(join(SOURCES, 'probe.ts'), 'utf8')
    for (const minify of [false, true]) {
      const { code, map } = transformSync(source, {
        loader: 'ts',
        sourcemap: true,
        minify,
        sourcefile: 'probe.ts',
      })
      const payload = JSON.parse(map) as SourceMapPayload
      const theirs = new NodeSourceMap(payload)
      const lines = code.split('\n')
      const wanted = lines.flatMap((text, i) =>
        Array.from({ length: Math.ceil(text.length / 7) }, (_, k) => ({ line: i + 1, column: 7 * k + 1 })),
      )
      const ours = originalsOf(readSourceMap(map)!, wanted)
      expect(ours.length).to.be.greaterThan(500)
      wanted.forEach(({ line, column }, i) => {
        const entry = theirs.findEntry(line - 1, column - 1) as {
          originalLine?: number
          generatedLine?: number
        }
        // Node goes back over the ends of lines; a place before the first mapping of its line has none.
        if (entry.generatedLine !== line - 1) return
        expect(ours[i]?.line, `${line}:${column}`).to.equal(entry.originalLine! + 1)
      })
    }
    expect(findSourceMap).to.be.a('function')
  })

  it('works out a case by hand: `AAAA;;ACEE,GAFA`', () => {
    const map = readSourceMap(
      '{"version":3,"sourceRoot":"src","sources":["a.ts","b.ts"],"mappings":"AAAA;;ACEE,GAFA"}',
    )!
    const at = (line: number, column: number) => originalsOf(map, [{ line, column }])[0]
    expect(at(1, 1)).to.deep.equal({ source: 'src/a.ts', line: 1 })
    expect(at(1, 99)).to.deep.equal({ source: 'src/a.ts', line: 1 })
    expect(at(2, 1)).to.equal(null)
    expect(at(3, 3)).to.deep.equal({ source: 'src/b.ts', line: 3 })
    expect(at(3, 4)).to.deep.equal({ source: 'src/b.ts', line: 1 })
    expect(at(4, 1)).to.equal(null)
  })

  it('that is none, or broken, tells nothing', () => {
    expect(readSourceMap('{"version":3,"sections":[]}')).to.equal(null)
    expect(readSourceMap('7')).to.equal(null)
    expect(() => readSourceMap('{')).to.throw()
    expect(originalsOf({ sources: ['a'], mappings: '!!!!' }, [{ line: 1, column: 1 }])).to.deep.equal([null])
    expect(originalsOf({ sources: [], mappings: 'AAAA' }, [{ line: 1, column: 1 }])).to.deep.equal([null])
    expect(originalsOf({ sources: ['a'], mappings: 'ggggggggg' }, [{ line: 1, column: 1 }])).to.deep.equal([
      null,
    ])
    expect(mapAddressOf('x()')).to.equal(null)
    expect(mapAddressOf('x()\n//# sourceMappingURL=')).to.equal(null)
    expect(mapAddressOf('x()\n//# sourceMappingURL=a.map\n//# sourceMappingURL=b.map\n')).to.equal('b.map')
    expect(inlineMap('a.map')).to.equal(null)
    expect(inlineMap('data:application/json;charset=utf-8;base64,eyJhIjoi4oKsIn0=')).to.equal('{"a":"€"}')
    expect(inlineMap('data:application/json,%7B%7D')).to.equal('{}')
  })

  it('of a script that is not there, or no file, leaves the place unknown', () => {
    const line = { line: 1, column: 1 }
    let told: (Place | null)[] = []
    nodePlaces(
      [
        { url: 'file:///no/such/script.js', ...line },
        { url: 'https://example.org/x.js', ...line },
        { url: 'node:fs', ...line },
        { url: 'file://%zz', ...line },
      ],
      (places) => (told = places),
    )
    expect(told).to.deep.equal([{ file: '/no/such/script.js', line: 1, source: null }, null, null, null])
  })
})
