import { exporter, type ExportFormat } from '@lapsus/core/exchange'
import { CliError } from './errors.ts'
import { openOut } from './out.ts'
import { readAllRecords } from './take-file.ts'

/**
 * Writes a file in any known format as one of another format; needs no server.
 * @returns what was wrong with the source, in words; null for nothing
 */
export async function convert(
  path: string,
  out: string,
  format: ExportFormat,
  frameMarker: string | undefined,
): Promise<string | null> {
  const write = exporter(format)
  const file = await openOut(out)
  let records = 0
  const { source, problem } = await readAllRecords(path, frameMarker, (record) => {
    file.write(write(record))
    records++
  })
  await file.close()
  if (records === 0) throw new CliError(problem ?? `${path}: is empty; expected a take`)
  return problem ?? (source.skipped.summary === null ? null : `${path}: ${source.skipped.summary}`)
}
