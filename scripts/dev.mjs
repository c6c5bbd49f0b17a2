/** `npm run dev`: database and server, with Vite's development server in front of them; all follow their sources. */
import { spawn } from 'node:child_process'
import { watch } from 'node:fs'
import { join } from 'node:path'
import { ensureBuiltApart } from './setup/build-apart.mjs'
import { DATABASE_LOG, startDatabase } from './setup/database.mjs'
import { ensurePrograms, MARIADB } from './setup/debian.mjs'
import { ensurePackages } from './setup/packages.mjs'
import { stopProcess } from './setup/processes.mjs'
import { choosePort, SERVER_LOG, startServer, stopLeftoverServer } from './setup/product.mjs'
import { ROOT, STATE } from './setup/root.mjs'
import { say } from './setup/say.mjs'
import { checkSettings } from './setup/settings.mjs'
import { supervise } from './setup/supervisor.mjs'

const VITE_PORT = 5173
/** What the server is made of. */
const SERVER_SOURCES = ['core', 'api', 'server'].map((name) => join(ROOT, 'packages', name, 'src'))

await supervise(async ({ keep, announce, stopping }) => {
  checkSettings(process.env)
  ensurePrograms(MARIADB)
  ensurePackages()
  ensureBuiltApart()
  const folder = join(STATE, 'mariadb')
  const database = await keep('MariaDB', () => startDatabase(folder), join(folder, DATABASE_LOG))
  if (stopping()) return
  const pages = `http://127.0.0.1:${VITE_PORT}`
  await stopLeftoverServer()
  const port = await choosePort()
  const env = { LAPSUS_ORIGINS: pages, LAPSUS_DATABASE_FOLDER: folder }
  const server = await keep('the server', () => startServer(database.part().url, port, env), SERVER_LOG)
  if (stopping()) return
  const { address } = server.part()
  announce(address)
  await keep('Vite', () => servePages(address), 'its output above')
  followSources(() => server.renew())
  say(`pages with live reload: ${pages}; the server starts anew when its sources change`)
})

/** Vite in a process of its own: inside this one it would answer the signals itself. */
async function servePages(api) {
  const vite = spawn(
    join(ROOT, 'node_modules/.bin/vite'),
    ['packages/web', '--host', '127.0.0.1', '--port', String(VITE_PORT), '--strictPort'],
    {
      cwd: ROOT,
      detached: true,
      stdio: ['ignore', 'inherit', 'inherit'],
      env: { ...process.env, LAPSUS_URL: api },
    },
  )
  return {
    exited: new Promise((resolve) => vite.once('exit', (code) => resolve(code ?? 1))),
    stop: () => stopProcess(vite.pid),
  }
}

/** Builds the programs anew a moment after a source has changed; what does not build leaves the running one alone. */
function followSources(onBuilt) {
  let waiting = null
  const build = () => {
    const builder = spawn(process.execPath, [join(ROOT, 'scripts/build.mjs'), '--programs'], {
      stdio: ['ignore', 'inherit', 'inherit'],
    })
    builder.once('exit', (code) => {
      if (code === 0) void onBuilt()
      else say('the server goes on as it was built before')
    })
  }
  for (const folder of SERVER_SOURCES)
    watch(folder, { recursive: true }, (_, file) => {
      if (file?.startsWith('lists')) return
      clearTimeout(waiting)
      waiting = setTimeout(build, 300)
    })
}
