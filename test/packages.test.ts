/** The packages as a new user meets them: installed offline into an empty folder, used every way there is. */
import { expect } from 'chai'
import { build } from 'esbuild'
import { execFile, spawn, spawnSync } from 'node:child_process'
import { existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { promisify } from 'node:util'
import { build as buildWithVite } from 'vite'
import type { TakeSummary } from '@lapsus/api'
import type { RunningServer } from '../packages/server/src/index.ts'
import { getJson, testServer, until } from '../packages/server/test/support.ts'
import { launchBrowser } from './support/browser.ts'

const ROOT = join(import.meta.dirname, '..')
const PACKAGES = join(ROOT, 'dist/packages')

/** A game of 3 ms a frame that ends by itself after some frames, and never closes its probe. */
const game = (importLine: string, options: string) => `${importLine}
const probe = createProbe(${options})
const STEP = probe.marker('step', { group: 'simulation' })
let left = 60
probe.loop(() => {
  probe.run(STEP, () => {
    const end = performance.now() + 3
    while (performance.now() < end);
  })
  return --left > 0
})
`
const TYPED = `import { createProbe, type Probe, type MarkerId } from '@lapsus/probe'
const probe: Probe = createProbe({ game: 'Typed', target: 60 })
const A: MarkerId = probe.marker('a', { kind: 'wait:io', tags: ['search'] })
const stop: () => void = probe.loop((elapsedMs: number) => elapsedMs < 0)
const n: number = probe.run(A, () => 5)
// @ts-expect-error a kind that does not exist
probe.marker('b', { kind: 'wait:forever' })
// @ts-expect-error a value that is no number
probe.gauge(probe.gaugeId('g'), 'many')
stop()
void n
`

describe('the packages', () => {
  const folder = mkdtempSync(join(tmpdir(), 'lapsus-packages-'))
  let server: RunningServer
  let to: string

  before(async () => {
    writeFileSync(join(folder, 'package.json'), '{ "name": "a-game", "private": true }')
    install(folder, 'lapsus-probe.tgz', 'lapsus-cli.tgz')
    server = await testServer({ packages: PACKAGES })
    to = server.address
  })
  after(async () => {
    await server?.stop()
    rmSync(folder, { recursive: true, force: true })
  })

  function install(where: string, ...files: string[]): void {
    const paths = files.map((file) => join(PACKAGES, file))
    const result = spawnSync('npm', ['install', '--offline', '--no-audit', '--no-fund', ...paths], {
      cwd: where,
      encoding: 'utf8',
    })
    expect(result.status, result.stderr).to.equal(0)
  }

  /** Runs a program in the user's folder to its end. */
  async function run(file: string, env: Record<string, string> = {}): Promise<string> {
    const child = spawn(process.execPath, [file], {
      cwd: folder,
      env: { ...process.env, LAPSUS_SPOOL: join(folder, 'spool'), ...env },
      stdio: ['ignore', 'pipe', 'pipe'],
    })
    let output = ''
    child.stdout.on('data', (data) => (output += data))
    child.stderr.on('data', (data) => (output += data))
    const code = await new Promise((resolve) => child.once('close', resolve))
    expect(code, output).to.equal(0)
    return output
  }

  async function takeOf(name: string): Promise<TakeSummary> {
    const find = async () =>
      (await getJson<TakeSummary[]>(server, '/api/takes')).find((take) => take.game === name)
    await until(async () => (await find())?.state === 'complete', `the take of ${name} is complete`)
    return (await find())!
  }

  /** A game of 3 ms at 60 a second, whatever it waits for; on a busy machine a frame takes several times as long. */
  async function expectRight(name: string): Promise<void> {
    const { frames, figures } = await takeOf(name)
    expect(frames).to.be.within(58, 61)
    expect(figures!.work.p50).to.be.within(2.9, 100)
  }

  it('depend on nothing that has to be fetched', () => {
    const { dependencies } = JSON.parse(
      readFileSync(join(folder, 'node_modules/@lapsus/probe/package.json'), 'utf8'),
    ) as { dependencies?: object }
    expect(dependencies).to.equal(undefined)
    expect(existsSync(join(folder, 'node_modules/ws'))).to.equal(false)
  })

  it('record from an ES module, whose game ends by itself', async () => {
    const options = `{ game: 'ESM', target: 60, to: ${JSON.stringify(to)} }`
    writeFileSync(join(folder, 'esm.mjs'), game(`import { createProbe } from '@lapsus/probe'`, options))
    await run('esm.mjs')
    await expectRight('ESM')
  })

  it('record from CommonJS', async () => {
    const options = `{ game: 'CJS', target: 60, to: ${JSON.stringify(to)} }`
    writeFileSync(join(folder, 'cjs.cjs'), game(`const { createProbe } = require('@lapsus/probe')`, options))
    await run('cjs.cjs')
    await expectRight('CJS')
  })

  it('type-check strictly, with either resolution, as ES module and CommonJS', () => {
    writeFileSync(join(folder, 'typed.mts'), TYPED)
    writeFileSync(join(folder, 'typed.cts'), TYPED)
    writeFileSync(
      join(folder, 'overlay.mts'),
      `import { createOverlay } from '@lapsus/probe/overlay'\nimport { createLane } from '@lapsus/probe/worker'\n` +
        `createOverlay({ corner: 'top-left' }).remove()\ncreateLane('a', 'b').close()\n`,
    )
    const check = (...args: string[]) =>
      spawnSync(
        process.execPath,
        [join(ROOT, 'node_modules/typescript/bin/tsc'), '--noEmit', '--strict', ...args],
        { cwd: folder, encoding: 'utf8' },
      ).stdout
    const nodeNext = ['--module', 'nodenext', '--moduleResolution', 'nodenext', '--target', 'es2022']
    expect(check(...nodeNext, '--lib', 'es2022', 'typed.mts', 'typed.cts')).to.equal('')
    const bundler = ['--module', 'esnext', '--moduleResolution', 'bundler', '--target', 'es2022']
    expect(check(...bundler, '--lib', 'es2022,dom', 'typed.mts', 'overlay.mts')).to.equal('')
  })

  it('survive bundling for Node, as ES module and CommonJS', async () => {
    for (const format of ['esm', 'cjs'] as const) {
      const name = `Bundled ${format}`
      const options = `{ game: '${name}', target: 60, to: ${JSON.stringify(to)} }`
      const entry = join(folder, `bundle-${format}.mjs`)
      writeFileSync(entry, game(`import { createProbe } from '@lapsus/probe'`, options))
      const outfile = join(folder, 'out', `${format}.${format === 'esm' ? 'mjs' : 'cjs'}`)
      await build({
        entryPoints: [entry],
        outfile,
        bundle: true,
        platform: 'node',
        format,
        logLevel: 'error',
      })
      await run(outfile)
      await expectRight(name)
    }
  })

  describe('in a browser', () => {
    let site: Server
    let address: string
    const files = new Map<string, string>()

    before(async () => {
      site = createServer((request, response) => {
        const file = files.get(request.url ?? '')
        if (file === undefined) return void response.writeHead(404).end()
        const type = request.url!.endsWith('js') ? 'text/javascript' : 'text/html'
        response.writeHead(200, { 'content-type': type }).end(file)
      })
      await new Promise<void>((resolve) => site.listen(0, '127.0.0.1', resolve))
      address = `http://127.0.0.1:${(site.address() as AddressInfo).port}`
    })
    after(() => void site.close())

    /** Opens a page, waits until it says that it is done, and leaves it. */
    async function play(page: string): Promise<void> {
      const profile = mkdtempSync(join(tmpdir(), 'lapsus-page-'))
      const browser = await launchBrowser(profile)
      try {
        const tab = await browser.newPage()
        const errors: string[] = []
        tab.on('pageerror', (error) => errors.push((error as Error).message))
        await tab.goto(address + page)
        await tab.waitForFunction(() => document.title === 'done', { timeout: 30_000 })
        expect(errors).to.deep.equal([])
      } finally {
        await browser.close()
        rmSync(profile, { recursive: true, force: true })
      }
    }
    const pageGame = (name: string, importLine: string) =>
      game(importLine, `{ game: '${name}', target: 60, to: ${JSON.stringify(to)} }`).replace(
        'return --left > 0',
        `if (--left === 0) probe.close().then(() => (document.title = 'done'))\n  return left > 0`,
      )

    it('record when bundled by esbuild, with a web worker’s lane beside', async () => {
      const source =
        pageGame('By esbuild', `import { createProbe } from '@lapsus/probe'`) +
        `new Worker('/worker.js', { type: 'module' })\n`
      writeFileSync(join(folder, 'page.mjs'), source)
      writeFileSync(
        join(folder, 'worker.mjs'),
        `import { createLane } from '@lapsus/probe/worker'
         const lane = createLane('By esbuild', 'helper')
         const WORK = lane.marker('help')
         setInterval(() => lane.run(WORK, () => { const end = performance.now() + 1; while (performance.now() < end); }), 5)`,
      )
      for (const [file, url] of [
        ['page.mjs', '/page.js'],
        ['worker.mjs', '/worker.js'],
      ] as const) {
        const { outputFiles } = await build({
          entryPoints: [join(folder, file)],
          bundle: true,
          write: false,
          format: 'esm',
          logLevel: 'error',
        })
        files.set(url, outputFiles[0]!.text)
      }
      files.set('/esbuild', '<script type="module" src="/page.js"></script>')
      await play('/esbuild')
      await expectRight('By esbuild')
      const { id } = await takeOf('By esbuild')
      const detail = await getJson<{ lanes: { name: string }[] }>(server, `/api/takes/${id}`)
      expect(detail.lanes.map(({ name }) => name)).to.deep.equal(['main', 'helper'])
    })

    it('record when bundled by Vite', async () => {
      const project = join(folder, 'vite')
      mkdirSync(project)
      writeFileSync(join(project, 'index.html'), '<script type="module" src="/game.js"></script>')
      writeFileSync(
        join(project, 'game.js'),
        pageGame('By Vite', `import { createProbe } from '@lapsus/probe'`),
      )
      const result = await buildWithVite({ root: project, logLevel: 'error', build: { write: false } })
      const { output } = (Array.isArray(result) ? result[0] : result) as {
        output: { fileName: string; code?: string; source?: string | Uint8Array }[]
      }
      for (const { fileName, code, source } of output)
        files.set(fileName === 'index.html' ? '/vite' : `/${fileName}`, code ?? String(source))
      await play('/vite')
      await expectRight('By Vite')
    })

    it('record from a plain page, as the README has it', async () => {
      const [, html] = /```html\n([\s\S]*?)```/.exec(readFileSync(join(ROOT, 'README.md'), 'utf8'))!
      const asWritten = html!.replaceAll('http://127.0.0.1:4780', to).replaceAll('127.0.0.1:4780', to)
      files.set(
        '/plain',
        `${asWritten}<script>setTimeout(() => probe.close().then(() => (document.title = 'done')), 1500)</script>`,
      )
      await play('/plain')
      const { frames, figures } = await takeOf('My Page')
      expect(frames).to.be.above(20)
      expect(figures!.overShare).to.be.below(0.5)
    })
  })

  it('survive bundling for Node by Vite', async () => {
    const options = `{ game: 'Vite for Node', target: 60, to: ${JSON.stringify(to)} }`
    writeFileSync(join(folder, 'vite-node.mjs'), game(`import { createProbe } from '@lapsus/probe'`, options))
    await buildWithVite({
      root: folder,
      configFile: false,
      logLevel: 'error',
      ssr: { noExternal: true },
      build: {
        ssr: 'vite-node.mjs',
        outDir: 'out-vite',
        rollupOptions: { output: { entryFileNames: '[name].mjs' } },
      },
    })
    await run('out-vite/vite-node.mjs')
    await expectRight('Vite for Node')
  })

  it('are installed by the lines that the README gives', async () => {
    const lines = readFileSync(join(ROOT, 'README.md'), 'utf8').matchAll(
      /npm install (?:-g )?(http:\S+\.tgz)/g,
    )
    const addresses = [...lines].map(([, address]) => address!.replace('http://127.0.0.1:4780', to))
    expect(addresses).to.have.length(2)
    const empty = mkdtempSync(join(tmpdir(), 'lapsus-empty-'))
    const ran = promisify(execFile)
    try {
      await ran('npm', ['install', '--no-audit', '--no-fund', ...addresses], { cwd: empty })
      expect(existsSync(join(empty, 'node_modules/@lapsus/probe/package.json'))).to.equal(true)
      const { stdout } = await ran('npx', ['lapsus', '--help'], { cwd: empty })
      expect(stdout).to.contain('inspect')
    } finally {
      rmSync(empty, { recursive: true, force: true })
    }
  })

  it('let the README’s ten lines give right figures, though the game is ended by a signal', async () => {
    const [, code] = /```js\n([\s\S]*?)```/.exec(readFileSync(join(ROOT, 'README.md'), 'utf8'))!
    writeFileSync(join(folder, 'readme.mjs'), code!)
    const env = { ...process.env, LAPSUS_TO: to, LAPSUS_SPOOL: join(folder, 'spool') }
    const child = spawn(process.execPath, ['readme.mjs'], { cwd: folder, env, stdio: 'ignore' })
    await new Promise((resolve) => setTimeout(resolve, 2_500))
    child.kill('SIGTERM')
    await new Promise((resolve) => child.once('close', resolve))
    expect(child.signalCode).to.equal('SIGTERM')
    // What could not be sent any more is sent by the next run of any game.
    const options = `{ game: 'After', target: 60, to: ${JSON.stringify(to)} }`
    writeFileSync(join(folder, 'after.mjs'), game(`import { createProbe } from '@lapsus/probe'`, options))
    await run('after.mjs')
    const { frames, figures } = await takeOf('My Game')
    expect(frames).to.be.above(60)
    expect(figures!.overShare).to.be.below(0.5)
  })

  it('bring a command line that works without this repository', async () => {
    const lapsus = (...args: string[]) =>
      spawnSync(join(folder, 'node_modules/.bin/lapsus'), args, {
        cwd: folder,
        encoding: 'utf8',
        env: { ...process.env, LAPSUS_URL: to },
      })
    const options = `{ game: 'To a file', target: 60, to: 'take.lapsus' }`
    writeFileSync(join(folder, 'file.mjs'), game(`import { createProbe } from '@lapsus/probe'`, options))
    await run('file.mjs')
    const inspected = lapsus('inspect', 'take.lapsus')
    expect(inspected.stdout, inspected.stderr).to.contain('To a file')
  })

  it('are served by a running Lapsus, and nothing beside them', async () => {
    const status = async (path: string) => (await fetch(to + path)).status
    expect(await status('/get/lapsus-probe.tgz')).to.equal(200)
    expect(await status('/get/lapsus-cli.tgz')).to.equal(200)
    expect(await status('/get/lapsus-probe.js')).to.equal(200)
    for (const emitter of ['c/lapsus.h', 'csharp/Lapsus.cs', 'lua/lapsus.lua', 'python/lapsus.py']) {
      const response = await fetch(`${to}/get/${emitter.split('/')[1]}`)
      expect(await response.text()).to.equal(readFileSync(join(ROOT, 'emitters', emitter), 'utf8'))
      expect(response.headers.get('content-type')).to.match(/^text\/plain/)
    }
    // A page of any origin may load the module, and nothing else.
    const foreign = { headers: { origin: 'http://127.0.0.1:1' } }
    const module = await fetch(`${to}/get/probe.js`, foreign)
    expect([module.status, module.headers.get('access-control-allow-origin')]).to.deep.equal([200, '*'])
    expect(await module.text()).to.contain('createProbe')
    expect((await fetch(`${to}/api/takes`, foreign)).status).to.equal(403)
    expect(await status('/get/probe/package.json')).to.equal(404)
    expect(await status('/get/../../package.json')).to.equal(404)
  })
})
