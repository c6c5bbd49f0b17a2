/** `npm run build`: installs packages if need be and builds everything that is out of date. */
import { ensureBuilt } from './setup/build.mjs'
import { checkNode, ensurePackages } from './setup/packages.mjs'
import { runMain } from './setup/say.mjs'

await runMain(async () => {
  checkNode()
  ensurePackages()
  await ensureBuilt()
})
