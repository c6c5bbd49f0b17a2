/** `npm run dev`: database and server, with Vite's development server in front of them. */
import { spawn } from 'node:child_process'
import { join } from 'node:path'
import { ensureBuilt } from './setup/build.mjs'
import { startDatabase } from './setup/database.mjs'
import { ensurePrograms, MARIADB } from './setup/debian.mjs'
import { ensurePackages } from './setup/packages.mjs'
import { stopProcess } from './setup/processes.mjs'
import { choosePort, startServer } from './setup/product.mjs'
import { ROOT, STATE } from './setup/root.mjs'
import { say } from './setup/say.mjs'
import { supervise } from './setup/supervisor.mjs'

const VITE_PORT = 5173

await supervise(async ({ begin, stop, announce, stopping }) => {
  ensurePrograms(MARIADB)
  ensurePackages()
  await ensureBuilt()
  const database = await begin(() => startDatabase(join(STATE, 'mariadb')))
  if (stopping()) return
  const pages = `http://127.0.0.1:${VITE_PORT}`
  const port = await choosePort()
  const server = await begin(() => startServer(database.url, port, { LAPSUS_ORIGINS: pages }))
  if (stopping()) return
  void server.exited.then((code) => stop(`the server ended with code ${code}`, 1))
  announce(server.address)
  await begin(() => servePages(server.address))
  say(`pages with live reload: ${pages} (the server itself is not reloaded)`)
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
  return { stop: () => stopProcess(vite.pid) }
}
