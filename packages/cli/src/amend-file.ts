import { renameSync, rmSync } from 'node:fs'
import type { Conditions } from '@lapsus/core/format'
import { sourceAround } from '@lapsus/core/take'
import { convertRecords } from './convert.ts'
import { sourceText, type SourceFiles } from './source-files.ts'

export interface Amendment {
  /** Over those that the recorder gave. */
  conditions: Conditions
  /** Where the lines around markers are read; null to leave them out. */
  source: SourceFiles | null
}

/** Writes a take file anew, with what only whoever started the game knows. One that cannot be read whole stays as it is. */
export async function amendFile(file: string, { conditions, source }: Amendment): Promise<void> {
  const beside = `${file}.part`
  try {
    const { source: read, problem } = await convertRecords(file, beside, 'lapsus', undefined, (record) => {
      if (record.record === 'take') return { ...record, conditions: { ...record.conditions, ...conditions } }
      if (record.record !== 'declare' || source === null) return record
      const around = new Map(
        sourceAround(record.markers, (name) => sourceText(source, name)).map(({ marker, ...lines }) => [
          marker,
          lines,
        ]),
      )
      const markers = record.markers.map((marker) => {
        const lines = around.get(marker.id)
        return lines === undefined || marker.at === null
          ? marker
          : { ...marker, at: { ...marker.at, source: lines } }
      })
      return { ...record, markers }
    })
    // What breaks off within a record would lose its end.
    if (problem === null && read.pendingBytes === 0) renameSync(beside, file)
  } finally {
    rmSync(beside, { force: true })
  }
}
