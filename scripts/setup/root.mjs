import { fileURLToPath } from 'node:url'
import { join } from 'node:path'

/** The folder of the whole workspace. */
export const ROOT = fileURLToPath(new URL('../..', import.meta.url)).replace(/\/$/, '')

/** Everything this checkout keeps between runs: database, remembered ports, logs. */
export const STATE = process.env.LAPSUS_STATE ?? join(ROOT, '.lapsus')
