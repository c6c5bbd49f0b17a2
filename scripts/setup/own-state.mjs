/** For each file of tests a state folder of its own: what a user's games left is neither taken up nor added to. */
import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'

let folder

export const mochaHooks = {
  beforeAll() {
    folder = mkdtempSync(join(tmpdir(), 'lapsus-state-'))
    process.env.XDG_STATE_HOME = folder
  },
  afterAll() {
    rmSync(folder, { recursive: true, force: true })
  },
}
