import { NS_PER_MS, WAIT_REASONS, type FrameColumns } from '../take/index.ts'
import { csvRow } from './csv.ts'

/** The names of the columns. */
export function framesCsvHead(): string {
  const waits = WAIT_REASONS.map((reason) => `wait ${reason} ms`)
  const heads = ['frame', 'start ms', 'duration ms', 'work ms', ...waits, 'collection ms', 'collections']
  return csvRow([...heads, 'bytes', 'fixed steps', 'spans', 'taken ms'])
}

/** Frames, one a row, times in ms. @param fromFrame number in the take of the first */
export function* framesCsv(frames: FrameColumns, fromFrame: number): Generator<string> {
  const ms = (column: Float64Array, i: number) => column[i]! / NS_PER_MS
  for (let i = 0; i < frames.startNs.length; i++) {
    const times = [frames.startNs, frames.durationNs, frames.workNs].map((column) => ms(column, i))
    const waits = WAIT_REASONS.map((reason) => ms(frames.waitNs[reason], i))
    const bytes = frames.bytes[i]! < 0 ? '' : frames.bytes[i]!
    yield csvRow([
      fromFrame + i,
      ...times,
      ...waits,
      ms(frames.collectNs, i),
      frames.collections[i]!,
      bytes,
      frames.steps[i]!,
      frames.spans[i]!,
      frames.takenNs[i]! < 0 ? '' : ms(frames.takenNs, i),
    ])
  }
}
