/** `npm run build`: installs packages if need be and builds everything that is out of date; `--programs` only those, always. */
import { buildPrograms, ensureBuilt } from './setup/build.mjs'
import { ensureLists } from './setup/lists.mjs'
import { checkNode, ensurePackages } from './setup/packages.mjs'
import { runMain } from './setup/say.mjs'

await runMain(async () => {
  checkNode()
  ensurePackages()
  if (process.argv.includes('--programs')) {
    ensureLists()
    await buildPrograms()
  } else await ensureBuilt()
})
