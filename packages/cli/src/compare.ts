/** What `compare` prints: takes before set against takes after. */
import { createWriteStream, existsSync, mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { Readable } from 'node:stream'
import { pipeline } from 'node:stream/promises'
import { tellComparison, type ComparisonTold } from '@lapsus/core/compare'
import { CliError } from './errors.ts'
import { request, serverAddress } from './server.ts'
import { readTakeFile, type TakeFile } from './take-file.ts'

/**
 * @param names files, or takes of the running Lapsus
 * @throws CliError for what is neither, and for what cannot be compared
 */
export async function compare(
  before: readonly string[],
  after: readonly string[],
  target: number | null,
): Promise<{ told: ComparisonTold; problems: string[] }> {
  const [one, other] = [await readAll(before), await readAll(after)]
  const studies = (files: TakeFile[]) =>
    files.map(({ study }) => ({ ...study, target: target ?? one[0]!.take.target }))
  const problems = [...one, ...other].flatMap(({ problem, skipped }) =>
    [problem, skipped].filter((words) => words !== null),
  )
  try {
    return { told: tellComparison(studies(one), studies(other)), problems }
  } catch (error) {
    if (error instanceof RangeError) throw new CliError(error.message)
    throw error
  }
}

async function readAll(names: readonly string[]): Promise<TakeFile[]> {
  const files: TakeFile[] = []
  for (const name of names) files.push(existsSync(name) ? await readTakeFile(name) : await download(name))
  return files
}

async function download(take: string): Promise<TakeFile> {
  const folder = mkdtempSync(join(tmpdir(), 'lapsus-compare-'))
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
