/** Takes by name: files, or takes of the running Lapsus. */
import { createWriteStream, existsSync, mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { Readable } from 'node:stream'
import { pipeline } from 'node:stream/promises'
import { proofPlace } from '@lapsus/core/compare'
import { CliError } from './errors.ts'
import { request, serverAddress } from './server.ts'
import { ofVariant, readTakeFile, type TakeFile } from './take-file.ts'

/** @throws CliError for what is neither */
export const readTakes = (names: readonly string[]): Promise<TakeFile[]> =>
  withTakes(names, async (files) => files)

/**
 * The same, and of each `TAKE:TRIAL=VARIANT` only the frames in which the trial used the variant.
 * @throws CliError for what is neither, and for a variant that is not there
 */
export async function readParts(names: readonly string[]): Promise<TakeFile[]> {
  // A file may well have a colon in its name.
  const places = names.map((name) => (existsSync(name) ? { take: name, variant: null } : proofPlace(name)))
  const files = await readTakes(places.map(({ take }) => take))
  return files.map((file, i) => ofVariant(file, places[i]!.variant))
}

/** For whoever reads the files once more: those of the running Lapsus are kept until then. @throws CliError for what is neither */
export async function withTakes<T>(
  names: readonly string[],
  use: (files: TakeFile[]) => Promise<T>,
): Promise<T> {
  const folder = mkdtempSync(join(tmpdir(), 'lapsus-take-'))
  try {
    const files: TakeFile[] = []
    for (const [i, name] of names.entries())
      files.push(
        existsSync(name) ? await readTakeFile(name) : await download(name, join(folder, `${i}.lapsus`)),
      )
    return await use(files)
  } finally {
    rmSync(folder, { recursive: true, force: true })
  }
}

async function download(take: string, path: string): Promise<TakeFile> {
  try {
    const response = await request(`${await serverAddress()}/api/takes/${encodeURIComponent(take)}/file`)
    await pipeline(Readable.fromWeb(response.body as never), createWriteStream(path))
    return await readTakeFile(path)
  } catch (error) {
    throw error instanceof CliError
      ? new CliError(`${take}: there is no such file, and as a take: ${error.message}`)
      : error
  }
}
