import { homedir } from 'node:os'
import { join } from 'node:path'

/** Folder of what is kept for a user, whichever folder Lapsus lies in. */
export const userState = (): string =>
  join(process.env['XDG_STATE_HOME'] || join(homedir(), '.local', 'state'), 'lapsus')
