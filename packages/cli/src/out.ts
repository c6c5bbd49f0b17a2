/** Where a command writes: a file, or standard output. */
import { once } from 'node:events'
import { createWriteStream } from 'node:fs'
import { finished } from 'node:stream/promises'
import type { ExportFormat } from '@lapsus/core/exchange'
import { CliError } from './errors.ts'

export const STANDARD_OUTPUT = '-'

const ENDINGS: readonly [string, ExportFormat][] = [
  ['.csv', 'csv'],
  ['.jsonl', 'jsonl'],
  ['.otlp.json', 'otlp'],
]

/** What a file of that name is meant to hold. */
export const formatOf = (out: string): ExportFormat =>
  ENDINGS.find(([ending]) => out.toLowerCase().endsWith(ending))?.[1] ?? 'lapsus'

export interface Out {
  write(piece: Uint8Array | string): void
  /** Resolves when not much waits to be written. */
  room(): Promise<void>
  close(): Promise<void>
}

/** @throws CliError when the file cannot be written */
export async function openOut(out: string): Promise<Out> {
  const stream = out === STANDARD_OUTPUT ? process.stdout : createWriteStream(out)
  if (stream !== process.stdout)
    await once(stream, 'open').catch((error: Error) => {
      throw new CliError(`${out}: ${error.message}`)
    })
  return {
    write: (piece) => void stream.write(piece),
    async room() {
      if (stream.writableNeedDrain) await once(stream, 'drain')
    },
    async close() {
      if (stream === process.stdout) return
      stream.end()
      await finished(stream)
    },
  }
}
