import { encodeRecord, type AnyRecord } from '../format/index.ts'
import { Declarations, Digester } from '../take/index.ts'
import { framesCsv, framesCsvHead } from './frames-csv.ts'
import { jsonLine } from './json-lines.ts'
import { OtlpWriter } from './otlp-write.ts'

/** Take file, the same as JSON lines, OTLP JSON, and the table of frames. */
export const EXPORT_FORMATS = ['lapsus', 'jsonl', 'otlp', 'csv'] as const
export type ExportFormat = (typeof EXPORT_FORMATS)[number]

/** Turns the records of one take, in order, into a file. */
export type Exporter = (record: AnyRecord) => Uint8Array | string

export function exporter(format: ExportFormat): Exporter {
  if (format === 'lapsus') return encodeRecord
  if (format === 'jsonl') return jsonLine
  return format === 'otlp' ? otlpExporter() : csvExporter()
}

function otlpExporter(): Exporter {
  const declarations = new Declarations()
  let writer: OtlpWriter | null = null
  return (record) => {
    if (record.record === 'take') writer = new OtlpWriter(record, declarations)
    else if (record.record === 'declare') declarations.apply(record)
    else if (record.record === 'chunk') return writer!.line(record)
    return ''
  }
}

function csvExporter(): Exporter {
  const digester = new Digester()
  return (record) => {
    if (record.record === 'take') return framesCsvHead()
    if (record.record === 'declare') digester.declare(record)
    if (record.record !== 'chunk') return ''
    const { frames, firstFrame } = digester.digest(record)
    return [...framesCsv(frames, firstFrame)].join('')
  }
}
