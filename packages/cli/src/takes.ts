/** Takes by name: files, or takes of the running Lapsus. */
import { createWriteStream, existsSync, mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { Readable } from 'node:stream'
import { pipeline } from 'node:stream/promises'
import { CliError } from './errors.ts'
import { request, serverAddress } from './server.ts'
import { readTakeFile, type TakeFile } from './take-file.ts'

/** @throws CliError for what is neither */
export async function readTakes(names: readonly string[]): Promise<TakeFile[]> {
  const files: TakeFile[] = []
  for (const name of names) files.push(existsSync(name) ? await readTakeFile(name) : await download(name))
  return files
}

async function download(take: string): Promise<TakeFile> {
  const folder = mkdtempSync(join(tmpdir(), 'lapsus-take-'))
  try {
    const path = join(folder, 'take.lapsus')
    const response = await request(`${await serverAddress()}/api/takes/${encodeURIComponent(take)}/file`)
    await pipeline(Readable.fromWeb(response.body as never), createWriteStream(path))
    return await readTakeFile(path)
  } catch (error) {
    throw error instanceof CliError
      ? new CliError(`${take}: there is no such file, and as a take: ${error.message}`)
      : error
  } finally {
    rmSync(folder, { recursive: true, force: true })
  }
}
