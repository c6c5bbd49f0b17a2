/** The built server in a process of its own, as `npm start` runs it. */
import { fork } from 'node:child_process'
import { join } from 'node:path'
import { isAlive, ROOT } from '../../support/npm-start.ts'

export interface ServerProcess {
  address: string
  pid: number
  isAlive(): boolean
  /** Resolves to the exit code. */
  ended: Promise<number | null>
  /** Ends it in good order. */
  stop(): Promise<void>
}

/** @param folder for its log and what games leave */
export async function forkServer(
  databaseUrl: string,
  folder: string,
  env: Record<string, string> = {},
): Promise<ServerProcess> {
  const child = fork(join(ROOT, 'packages/server/dist/main.mjs'), {
    env: {
      ...process.env,
      NODE_ENV: 'production',
      DATABASE_URL: databaseUrl,
      PORT: '0',
      LAPSUS_LOG: join(folder, 'server.log'),
      LAPSUS_SPOOL: join(folder, 'spool'),
      ...env,
    },
  })
  const ended = new Promise<number | null>((resolve) => child.once('exit', resolve))
  const address = await new Promise<string>((resolve, reject) => {
    child.once('message', (message) => resolve((message as { address: string }).address))
    child.once('exit', (code) => reject(new Error(`the server ended with code ${code}`)))
  })
  return {
    address,
    pid: child.pid!,
    ended,
    isAlive: () => child.exitCode === null && isAlive(child.pid!),
    stop: async () => {
      child.kill('SIGTERM')
      await ended
    },
  }
}
