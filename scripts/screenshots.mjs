/**
 * `npm run screenshots`: makes every picture of docs/screenshots from nights of the demo game that it records itself,
 * with fixed seeds, in a Lapsus of its own. Takes about eight minutes; `-- NAME …` makes only those.
 */
import { spawn, spawnSync } from 'node:child_process'
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { CHROMIUM, ensurePrograms, findProgram } from './setup/debian.mjs'
import { stopProcess } from './setup/processes.mjs'
import { ROOT } from './setup/root.mjs'
import { run } from './setup/run.mjs'
import { runMain, say } from './setup/say.mjs'

const OUT = join(ROOT, 'docs/screenshots')
const SIZE = { width: 1280, height: 800 }
const SEARCH = 'sim.step > moths.update > moth.update > moth.seek > lantern.measure'.split(' > ')

/** Each picture: where it is taken, and what is done there before. `takes` are the recorded nights. */
const PICTURES = {
  library: {
    at: () => '/',
    before: (page) =>
      page.$$eval('input[type=checkbox]', (boxes) => boxes.slice(1, 3).forEach((box) => box.click())),
  },
  record: {
    ...{
      at: () => '/record?language=python',
      before: playOwn,
      isLive: true,
      waitMs: 2_500,
      needsTakes: false,
    },
  },
  unmarked: {
    at: ({ unmarked }) => `/takes/${unmarked}`,
    before: (page) => page.locator('[data-testid=finding] button').click(),
    settings: { theme: 'dark' },
    needsTakes: false,
  },
  workbench: { at: ({ flawed }) => `/takes/${flawed}` },
  ledger: { at: ({ flawed, path }) => `/takes/${flawed}?sight=ledger&scope=difference&path=${path}` },
  spikes: { at: ({ flawed }) => `/takes/${flawed}?sight=spikes` },
  memory: { at: ({ flawed }) => `/takes/${flawed}?sight=memory` },
  roster: { at: ({ flawed }) => `/takes/${flawed}?sight=roster` },
  scaling: { at: ({ ramp }) => `/takes/${ramp}?sight=scaling` },
  trial: { at: ({ tried }) => `/takes/${tried}?sight=trial` },
  comparison: {
    ...{ at: ({ flawed, fixed }) => `/compare?before=${flawed}&after=${fixed}`, waitMs: 4_000 },
    before: (page) => page.locator('[aria-label="Paths before and after"] tbody tr').click(),
  },
  composite: { at: ({ composite }) => `/takes/${composite}?sight=composite` },
  history: { at: () => '/game?name=Moth+Post&view=history', waitMs: 12_000 },
  check: {
    at: ({ fixed }) => `/check?takes=${fixed}`,
    async before(page) {
      await click(page, 'Make one of this take')
      await page.locator('[aria-label=Budget] button:not([disabled])::-p-text(Check)').click()
    },
    waitMs: 4_000,
  },
  waiting: { at: ({ flawed }) => `/takes/${flawed}?sight=waiting` },
  plan: { at: ({ flawed }) => `/takes/${flawed}?sight=forecast`, settings: { planOpen: true } },
  proof: {
    at: ({ flawed }) => `/takes/${flawed}?sight=proof`,
    settings: { planOpen: true, findingsOpen: false },
  },
  live: { at: ({ live }) => `/takes/${live}`, isLive: true },
  game: {
    ...{ at: () => '/games/moth-post/', isLive: true, waitMs: 8_000, needsTakes: false },
    before: (page) => click(page, 'Begin the night'),
  },
}

await runMain(async () => {
  ensurePrograms(CHROMIUM)
  const wanted = process.argv.slice(2)
  const names = Object.keys(PICTURES).filter((name) => wanted.length === 0 || wanted.includes(name))
  const folder = mkdtempSync(join(tmpdir(), 'lapsus-screenshots-'))
  const product = await startProduct(folder)
  const { default: puppeteer } = await import('puppeteer-core')
  const browser = await puppeteer.launch({
    executablePath: findProgram('chromium'),
    userDataDir: join(folder, 'profile'),
    args: ['--no-sandbox', '--disable-gpu', '--hide-scrollbars'],
  })
  try {
    const takes = names.some((name) => PICTURES[name].needsTakes !== false)
      ? await recordTakes(product.address)
      : {}
    for (const name of names) {
      if (name === 'unmarked') takes.unmarked = await recordUnmarked(product.address)
      if (name === 'history') playWeeks(product.address)
      if (name === 'live') takes.live = await beginRecording(product.address)
      await picture(browser, product.address, name, takes)
      say(`screenshots: ${name}`)
    }
  } finally {
    await browser.close()
    await stopProcess(product.pid)
    rmSync(folder, { recursive: true, force: true })
  }
})

/** `npm start` with a state of its own, whose first take is a moment long. */
async function startProduct(folder) {
  const child = spawn(process.execPath, [join(ROOT, 'scripts/start.mjs')], {
    env: {
      ...process.env,
      ...{ LAPSUS_STATE: join(folder, 'state'), XDG_STATE_HOME: folder, LAPSUS_FIRST_TAKE_S: '2', PORT: '' },
    },
    stdio: ['ignore', 'pipe', 'inherit'],
  })
  let output = ''
  const address = await new Promise((resolve, reject) => {
    child.stdout.on('data', (text) => {
      output += text
      const found = /Lapsus is at (\S+)/.exec(output)
      if (found !== null) resolve(found[1])
    })
    child.once('exit', (code) => reject(new Error(`npm start ended with code ${code}:\n${output}`)))
  })
  return { address, pid: child.pid }
}

async function call(address, method, path, body) {
  const response = await fetch(address + path, {
    method,
    headers: { 'content-type': 'application/json' },
    body: body === undefined ? undefined : JSON.stringify(body),
  })
  if (!response.ok) throw new Error(`${method} ${path}: ${response.status} ${await response.text()}`)
  return response.status === 204 ? null : response.json()
}

async function record(address, request) {
  const { defaults } = await call(address, 'GET', '/api/demo-game')
  say(`screenshots: recording “${request.name}”`)
  let recording = await call(address, 'POST', '/api/recordings', { ...defaults, ...request })
  while (['waiting', 'starting', 'recording'].includes(recording.state)) {
    await new Promise((resolve) => setTimeout(resolve, 500))
    recording = await call(address, 'GET', `/api/recordings/${recording.id}`)
  }
  if (recording.state !== 'done') throw new Error(`“${request.name}”: ${recording.message}`)
  return recording.take
}

/** The nights, one after the other, and a plan that one of them proves. */
async function recordTakes(address) {
  const [first] = await call(address, 'GET', '/api/takes')
  const flawed = await record(address, { name: 'First night', seconds: 30, seed: 7, mode: 'bytes' })
  const { flaws } = await call(address, 'GET', '/api/demo-game')
  const others = flaws.map(({ id }) => id).filter((id) => id !== 'lantern-all-pairs')
  const fixed = await record(address, {
    ...{ name: 'With lanterns in buckets', seconds: 30, seed: 7, mode: 'bytes', flaws: others },
  })
  const ramp = await record(address, { name: 'From few to all', seconds: 30, seed: 5, ramp: true })
  const tried = await record(address, {
    ...{ name: 'Lanterns in turn', seconds: 30, seed: 7, flaws: others, trial: 'lantern-all-pairs' },
  })
  const nights = []
  for (const name of ['Monday', 'Tuesday', 'Wednesday'])
    nights.push(await record(address, { name, seconds: 15, seed: 9, flaws: ['lantern-all-pairs'] }))
  const composite = await call(address, 'POST', '/api/composites', {
    takes: nights,
    name: 'Three nights as one',
  })
  await record(address, { name: 'On the handset', seconds: 10, seed: 3, flaws: [], handset: true })
  await call(address, 'DELETE', `/api/takes/${first.id}`)
  await call(address, 'PATCH', `/api/takes/${flawed}`, { tags: ['before'] })
  await call(address, 'POST', `/api/takes/${flawed}/plans`, {
    ...{ format: 'lapsus-plan', version: 1, name: 'before the demo', proof: fixed },
    items: [
      {
        ...{ remedy: 'bucket', path: SEARCH, state: 'done', effort: 'medium', on: true },
        parameters: { occupancy: 240 / 256, cells: 25, upkeep: 0 },
      },
      { remedy: 'slice', path: ['sim.step', 'gates.check', 'routes.replan'], effort: 'medium', on: true },
      { remedy: 'react', path: ['tally.update', 'tally.text'], effort: 'small', on: true },
    ],
  })
  const { paths, markers } = await call(address, 'GET', `/api/takes/${flawed}`)
  const plan = markers.find(({ name }) => name === 'routes.replan')
  return {
    flawed,
    fixed,
    ramp,
    tried,
    composite: composite.id,
    path: paths.findIndex(({ marker }) => marker === plan.id),
  }
}

/** A game that knows nothing of markers. */
async function recordUnmarked(address) {
  const { status } = spawnSync(
    process.execPath,
    [
      ...[join(ROOT, 'packages/cli/bin/lapsus.mjs'), 'record', '--mark', '**/*.mjs'],
      ...['--', process.execPath, 'game.mjs', '4'],
    ],
    {
      ...{ cwd: join(ROOT, 'examples/unmarked'), stdio: 'ignore' },
      env: { ...process.env, LAPSUS_URL: address },
    },
  )
  if (status !== 0) throw new Error(`the pond ended with code ${status}`)
  const [newest] = await call(address, 'GET', '/api/takes?game=unmarked')
  return newest.id
}

/** Forty short nights of twelve versions. */
function playWeeks(address) {
  const env = { ...process.env, LAPSUS_URL: address }
  const { status } = spawnSync(process.execPath, [join(ROOT, 'scripts/weeks.mjs')], { env, stdio: 'ignore' })
  if (status !== 0) throw new Error(`the nights of many versions ended with code ${status}`)
}

async function beginRecording(address) {
  const { defaults } = await call(address, 'GET', '/api/demo-game')
  const { take } = await call(address, 'POST', '/api/recordings', { ...defaults, seconds: 25, seed: 11 })
  await new Promise((resolve) => setTimeout(resolve, 12_000))
  return take
}

async function picture(browser, address, name, takes) {
  const { at, before, settings = {}, isLive = false, waitMs = 900 } = PICTURES[name]
  const context = await browser.createBrowserContext()
  const page = await context.newPage()
  await page.setViewport(SIZE)
  const state = { theme: 'light', liveSeconds: 10, findingsOpen: true, planOpen: false, ...settings }
  await page.evaluateOnNewDocument(
    (text) => localStorage.setItem('lapsus-settings', text),
    JSON.stringify({ state, version: 0 }),
  )
  await page.goto(address + at(takes), { waitUntil: isLive ? 'load' : 'networkidle0' })
  await before?.(page)
  await page.evaluate(() => document.fonts.ready.then(() => true))
  await new Promise((resolve) => setTimeout(resolve, waitMs))
  await page.screenshot({ path: join(OUT, `${name}.png`) })
  await context.close()
}

/** Does what the screen says, in an empty folder, until the game has ended. */
async function playOwn(page) {
  const folder = mkdtempSync(join(tmpdir(), 'lapsus-own-'))
  try {
    const line = (step) => page.$eval(`[data-testid=step-${step}]`, ({ textContent }) => textContent)
    await page.waitForSelector('[data-testid=arriving]')
    // What was there before must have been seen.
    await new Promise((resolve) => setTimeout(resolve, 1_500))
    writeFileSync(join(folder, 'game.py'), await line('code'))
    for (const step of ['get', 'run']) await run('sh', ['-c', `cd ${folder} && ${await line(step)}`])
    await page.waitForSelector('[data-testid=own-findings]')
  } finally {
    rmSync(folder, { recursive: true, force: true })
  }
}

function click(page, label) {
  return page.locator(`::-p-xpath(//button[contains(., "${label}")])`).click()
}
