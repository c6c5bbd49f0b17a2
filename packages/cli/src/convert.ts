import { exporter, type ExportFormat } from '@lapsus/core/exchange'
import type { AnyRecord } from '@lapsus/core/format'
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
  const { source, problem } = await convertRecords(path, out, format, frameMarker)
  return problem ?? (source.skipped.summary === null ? null : `${path}: ${source.skipped.summary}`)
}

/**
 * The same.
 * @param changed what is written in place of a record
 * @returns the source, and what could not be read of it, if anything
 */
export async function convertRecords(
  path: string,
  out: string,
  format: ExportFormat,
  frameMarker: string | undefined,
  changed: (record: AnyRecord) => AnyRecord = (record) => record,
): ReturnType<typeof readAllRecords> {
  const write = exporter(format)
  const file = await openOut(out)
  let records = 0
  const read = await readAllRecords(path, frameMarker, (record) => {
    file.write(write(changed(record)))
    records++
  })
  await file.close()
  if (records === 0) throw new CliError(read.problem ?? `${path}: is empty; expected a take`)
  return read
}
