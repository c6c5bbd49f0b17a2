/** What `composite` does: takes of one run laid over one another, written as a take. */
import { randomUUID } from 'node:crypto'
import { basename } from 'node:path'
import { CompositeWriter, NotSameRun } from '@lapsus/core/composite'
import { exporter, type ExportFormat } from '@lapsus/core/exchange'
import { CliError } from './errors.ts'
import { openOut } from './out.ts'
import { readRecords } from './take-file.ts'
import { withTakes } from './takes.ts'

/**
 * @param names files, or takes of the running Lapsus
 * @returns how many frames it has, and what was wrong with the takes, in words
 * @throws CliError for what cannot be read or written, or is not of one run
 */
export const composite = (
  names: readonly string[],
  out: string,
  format: ExportFormat,
): Promise<{ frames: number; problems: string[] }> =>
  withTakes(names, async (files) => {
    const games = [...new Set(files.map(({ take }) => take.game))]
    if (games.length > 1) throw new CliError(`these are takes of different games: ${games.join(', ')}`)
    const layers = files.map(({ study }, i) => ({ name: basename(names[i]!, '.lapsus'), study }))
    const writer = await writing(layers)
    const take = randomUUID()
    const write = exporter(format)
    const file = await openOut(out)
    const [first] = files as [(typeof files)[number]]
    await readRecords(first.path, first.frameMarker, (record) => {
      for (const next of writer.next(record, take)) file.write(write(next))
    })
    await file.close()
    const problems = files
      .flatMap(({ problem, skipped }) => [problem, skipped])
      .filter((words) => words !== null)
    return { frames: writer.frames, problems }
  })

async function writing(layers: ConstructorParameters<typeof CompositeWriter>[0]): Promise<CompositeWriter> {
  try {
    return new CompositeWriter(layers)
  } catch (error) {
    throw error instanceof NotSameRun ? new CliError(error.message) : error
  }
}
