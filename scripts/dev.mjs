/** `npm run dev`: database and server, with Vite's development server in front of them. */
import { join } from 'node:path'
import { ensureBuilt } from './setup/build.mjs'
import { startDatabase } from './setup/database.mjs'
import { ensurePrograms, MARIADB } from './setup/debian.mjs'
import { claim } from './setup/lock.mjs'
import { checkNode, ensurePackages } from './setup/packages.mjs'
import { choosePort, startServer } from './setup/product.mjs'
import { ROOT, STATE } from './setup/root.mjs'
import { runMain, say } from './setup/say.mjs'

const VITE_PORT = 5173

await runMain(async () => {
  checkNode()
  ensurePrograms(MARIADB)
  ensurePackages()
  await ensureBuilt()
  const lock = claim()
  const database = await startDatabase(join(STATE, 'mariadb'))
  const pages = `http://127.0.0.1:${VITE_PORT}`
  const server = await startServer(database.url, await choosePort(), { LAPSUS_ORIGINS: pages })
  lock.announce(server.address)
  const { createServer } = await import('vite')
  const vite = await createServer({
    root: join(ROOT, 'packages/web'),
    server: { host: '127.0.0.1', port: VITE_PORT, strictPort: true, proxy: { '/api': server.address } },
  })
  await vite.listen()
  say(`pages with live reload: ${pages} (the server itself is not reloaded)`)
  const stop = async (code) => {
    await vite.close()
    await server.stop()
    await database.stop()
    lock.release()
    process.exit(code)
  }
  for (const signal of ['SIGINT', 'SIGTERM']) process.once(signal, () => void stop(0))
  void server.exited.then(() => stop(1))
})
