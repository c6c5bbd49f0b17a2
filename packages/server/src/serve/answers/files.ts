/** Stored takes as a file in one of the formats. */
import { exporter, type ExportFormat } from '@lapsus/core/exchange'
import { takeRecords } from '../../store/records.ts'
import type { JobProgress } from '../../threads/job-progress.ts'
import type { Store, TakeRow } from '../../store/store.ts'

/** One take after the other, piece by piece. */
export async function* filePieces(
  store: Store,
  rows: readonly TakeRow[],
  format: ExportFormat,
  progress: JobProgress,
): AsyncGenerator<Uint8Array | string> {
  for (const row of rows) {
    const write = exporter(format)
    for await (const record of takeRecords(store, row)) {
      progress.passed(record)
      const piece = write(record)
      if (piece.length > 0) yield piece
    }
  }
}
