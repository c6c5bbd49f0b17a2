/** The built command, run as a person would run it, in a folder of the test's own. */
import { spawn, type ChildProcess } from 'node:child_process'
import { createServer, type IncomingMessage, type ServerResponse } from 'node:http'
import type { AddressInfo } from 'node:net'
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'

export const ROOT = join(import.meta.dirname, '../../..')
const LAPSUS = join(ROOT, 'packages/cli/bin/lapsus.mjs')
export const GAME = join(ROOT, 'games/moth-post/dist/main.mjs')

/** A game in another language: 20 frames, told by its environment where to. */
export const BATS = ['python3', join(ROOT, 'examples/python/bats.py'), '/nowhere', '20', '1']

/** @param begun is given the process */
export function lapsus(
  args: string[],
  env: Record<string, string | undefined> = {},
  begun: (child: ChildProcess) => void = () => {},
) {
  return new Promise<{ code: number | null; out: string; err: string }>((resolve) => {
    const child = spawn(process.execPath, [LAPSUS, ...args], { env: { ...process.env, ...env } })
    begun(child)
    let out = ''
    let err = ''
    child.stdout.on('data', (data) => (out += data))
    child.stderr.on('data', (data) => (err += data))
    child.once('close', (code) => resolve({ code, out, err }))
  })
}

/** A folder that is gone after the tests, and how to write files to it. */
export function testFolder(): { folder: string; file(name: string, bytes: Uint8Array): string } {
  const folder = mkdtempSync(join(tmpdir(), 'lapsus-cli-'))
  after(() => rmSync(folder, { recursive: true }))
  return {
    folder,
    file(name, bytes) {
      const path = join(folder, name)
      writeFileSync(path, bytes)
      return path
    },
  }
}

/**
 * Stands between a program and a Lapsus, at an address of its own.
 * @param answers whether it sees to a request itself; the others are passed on
 */
export async function standBefore(
  { address }: { address: string },
  answers: (request: IncomingMessage, response: ServerResponse) => boolean,
): Promise<{ address: string; stop(): void }> {
  const server = createServer(async (request, response) => {
    if (answers(request, response)) return
    const pieces: Buffer[] = []
    for await (const piece of request) pieces.push(piece as Buffer)
    const { 'content-encoding': encoding = 'identity', authorization = '' } = request.headers
    const answer = await fetch(address + request.url!, {
      method: request.method!,
      headers: { 'content-encoding': encoding, authorization },
      ...(pieces.length > 0 && { body: Buffer.concat(pieces) }),
    })
    response.writeHead(answer.status, { 'content-type': answer.headers.get('content-type')! })
    response.end(await answer.text())
  })
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  return {
    address: `http://127.0.0.1:${(server.address() as AddressInfo).port}`,
    stop() {
      server.close()
      server.closeAllConnections()
    },
  }
}
