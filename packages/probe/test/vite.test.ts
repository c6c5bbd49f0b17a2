/** The plugin for Vite: a page that knows nothing of markers, served for development, recorded from a real browser. */
import { expect } from 'chai'
import {
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  symlinkSync,
  writeFileSync,
} from 'node:fs'
import { SourceMap, type SourceMapPayload } from 'node:module'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { build, createLogger, createServer, preview, type ViteDevServer } from 'vite'
import type { TakeDetail, TakeSummary } from '@lapsus/api'
import { getJson, testServer, until } from '../../server/test/support.ts'
import type { RunningServer } from '../../server/src/index.ts'
import { launchBrowser } from '../../../test/support/browser.ts'
import lapsus from '../src/marks/vite.ts'

const LAMP = `interface Lamp {
  light: number
}

export class Lantern implements Lamp {
  light = 0
  shine(by: number): number {
    let light = this.light
    for (let i = 0; i < 20_000; i++) light += Math.sin(i) * by
    return (this.light = light)
  }
}
export function* glow() {
  yield 1
}
`
const MAIN = `import { Lantern } from './lamp.ts'

const lantern: Lantern = new Lantern()
const tick = (): void => {
  lantern.shine(2)
  requestAnimationFrame(tick)
}
requestAnimationFrame(tick)
`

describe('the plugin for Vite', () => {
  const root = mkdtempSync(join(tmpdir(), 'lapsus-vite-'))
  const warnings: string[] = []
  let server: RunningServer
  let vite: ViteDevServer

  before(async () => {
    server = await testServer()
    mkdirSync(join(root, 'src'))
    symlinkSync(join(import.meta.dirname, '../../../node_modules'), join(root, 'node_modules'))
    writeFileSync(join(root, 'index.html'), '<script type="module" src="/src/main.ts"></script>')
    writeFileSync(join(root, 'src/main.ts'), MAIN)
    writeFileSync(join(root, 'src/lamp.ts'), LAMP)
    writeFileSync(join(root, 'src/odd.js'), 'export function f( {')
    const customLogger = createLogger('warn')
    customLogger.warn = (words) => void warnings.push(words)
    vite = await createServer({
      ...{ root, configFile: false, customLogger, cacheDir: join(root, 'cache') },
      server: { host: '127.0.0.1', port: 0, fs: { strict: false }, hmr: false },
      plugins: [lapsus({ mark: 'src/**', game: 'Lanterns', to: server.address })],
    })
    await vite.listen()
  })
  after(async () => {
    await vite.close()
    await server.stop()
    rmSync(root, { recursive: true, force: true })
  })

  /** What comes of a page at that address. */
  async function recorded(address: string, game: string): Promise<(name: string) => unknown> {
    const browser = await launchBrowser(join(root, 'profile'))
    const take = async () =>
      (await getJson<TakeSummary[]>(server, '/api/takes')).find((one) => one.game === game)
    try {
      const page = await browser.newPage()
      await page.goto(address)
      await until(async () => ((await take())?.frames ?? 0) > 20, 'frames have come')
    } finally {
      await browser.close()
    }
    const { markers } = await getJson<TakeDetail>(server, `/api/takes/${(await take())!.id}`)
    return (name) => markers.find((marker) => marker.name === name)?.at
  }

  it('records the functions of the page, by their names and places', async () => {
    const placeOf = await recorded(vite.resolvedUrls!.local[0]!, 'Lanterns')
    expect(placeOf('main.tick')).to.deep.equal({ file: 'src/main.ts', line: 4, source: null })
    expect(placeOf('Lantern.shine')).to.deep.equal({ file: 'src/lamp.ts', line: 7, source: null })
    expect(warnings.join('\n')).to.contain(
      'lapsus: src/lamp.ts:13: lamp.glow is not marked: it is a generator',
    )
  })

  it('marks what is built and minified where that is asked for, and nothing where not', async () => {
    const outDir = join(root, 'built')
    const built = async (options: object) => {
      const plugins = [lapsus({ mark: 'src/**', game: 'Built lanterns', to: server.address, ...options })]
      await build({
        root,
        configFile: false,
        logLevel: 'silent',
        build: { outDir, emptyOutDir: true },
        plugins,
      })
      const [script] = readdirSync(join(outDir, 'assets'))
      return readFileSync(join(outDir, 'assets', script!), 'utf8')
    }
    expect(await built({})).to.not.contain('lapsus')
    expect(await built({ build: true })).to.contain('lapsus.marks')
    const shown = await preview({
      ...{ root, configFile: false, logLevel: 'silent', build: { outDir } },
      preview: { host: '127.0.0.1', port: 0 },
    })
    try {
      const placeOf = await recorded(shown.resolvedUrls!.local[0]!, 'Built lanterns')
      expect(placeOf('main.tick')).to.deep.equal({ file: 'src/main.ts', line: 4, source: null })
      expect(placeOf('Lantern.shine')).to.deep.equal({ file: 'src/lamp.ts', line: 7, source: null })
    } finally {
      await shown.close()
    }
  })

  it('keeps source maps', async () => {
    const { code, map } = (await vite.transformRequest('/src/lamp.ts'))!
    const generated = code.split('\n').findIndex((line) => line.includes('Math.sin'))
    const column = code.split('\n')[generated]!.indexOf('Math.sin')
    const entry = new SourceMap(map as unknown as SourceMapPayload).findEntry(generated, column)
    expect(entry).to.include({
      originalLine: LAMP.split('\n').findIndex((line) => line.includes('Math.sin')),
    })
  })

  it('leaves alone what is not chosen, and what it does not know', () => {
    const plugin = lapsus({ mark: ['src/**', '!src/not.ts'] })
    plugin.configResolved({ root, logger: { warn: (words) => warnings.push(words) } })
    const text = 'export function f() { return 1 }'
    const marked = (file: string) => plugin.transform(text, join(root, file)) !== null
    expect(['src/a.ts', 'src/deep/er/a.tsx', 'src/a.js?v=1'].map(marked)).to.deep.equal([true, true, true])
    expect(
      ['a.ts', '../src/a.ts', 'src/a.css', 'src/a.d.ts', 'src/not.ts', 'node_modules/x/src/a.js'].map(marked),
    ).to.deep.equal(Array<boolean>(6).fill(false))
    expect(plugin.transform(text, '\0virtual')).to.equal(null)
    expect(plugin.transform('export function f( {', join(root, 'src/odd.js'))).to.equal(null)
    expect(warnings.at(-1)).to.match(/^lapsus: src\/odd\.js: nothing is marked: .*\(1:\d+\)$/)
    expect(plugin.apply).to.equal('serve')
    expect(lapsus({ mark: 'src/**', build: true }).apply).to.equal(undefined)
    expect(plugin.load(plugin.resolveId('virtual:lapsus-marks')!)).to.contain('"to":"http://127.0.0.1:4780"')
  })
})
