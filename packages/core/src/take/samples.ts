/** What a chunk says about its frames besides spans, and how it is stored: as CBOR. */
import {
  columnAs,
  decodeCbor,
  encodeCbor,
  entriesOf,
  JOB_COLUMNS,
  mapColumns,
  narrow,
  noJobs,
  SAMPLE_NAMES,
  SAMPLES,
  type ChunkRecord,
  type Column,
  type ColumnsOf,
  type GaugeSamples,
  type JobEvents,
  type SampleName,
  type SamplesOf,
  type Table,
} from '../format/index.ts'

export type Samples = Pick<ChunkRecord, SampleName | 'jobs'>

export const samplesOf = ({ gauges, watches, lives, updaters, jobs }: ChunkRecord): Samples => ({
  ...{ gauges, watches, lives, updaters, jobs },
})

/** Columns of whole numbers become narrow; what is not whole stays as it is. */
const packed = <T extends Table>(columns: ColumnsOf<T>, table: T): Record<string, Column> =>
  Object.fromEntries(
    entriesOf(table).map(([name, { asIs }]) => [name, asIs ? columns[name] : narrow(columns[name])]),
  )

export function encodeSamples(samples: Samples): Uint8Array {
  const items = SAMPLE_NAMES.map((name) => {
    const { key, columns } = SAMPLES[name]
    const packedItems = samples[name].map((item) => ({
      [key]: (item as unknown as Record<string, number>)[key],
      frame: narrow(item.frame),
      ...packed(item as unknown as ColumnsOf<Table>, columns as Table),
    }))
    return [name, packedItems.length > 0 ? packedItems : undefined]
  })
  return encodeCbor({
    ...Object.fromEntries(items),
    jobs: samples.jobs.job.length > 0 ? packedJobs(samples.jobs) : undefined,
  })
}

/** Instants of jobs are whole ns here. */
const packedJobs = (jobs: JobEvents) =>
  Object.fromEntries(entriesOf(JOB_COLUMNS).map(([name]) => [name, narrow(jobs[name])]))

/** Reads what encodeSamples wrote, and takes stored before there was more than gauges. */
export function decodeSamples(bytes: Uint8Array): Samples {
  const stored = decodeCbor(bytes) as Partial<Samples> | GaugeSamples[]
  const found: Partial<Samples> = Array.isArray(stored) ? { gauges: stored } : stored
  const items = SAMPLE_NAMES.map((name) => [
    name,
    (found[name] ?? []).map((item) => readSamples(name, item as never)),
  ])
  const { jobs } = found
  return {
    ...(Object.fromEntries(items) as Pick<Samples, SampleName>),
    jobs:
      jobs === undefined
        ? noJobs()
        : (mapColumns(JOB_COLUMNS, (rule, name) => columnAs(rule, jobs[name])) as JobEvents),
  }
}

function readSamples<N extends SampleName>(name: N, item: SamplesOf<N>): SamplesOf<N> {
  const { key, columns } = SAMPLES[name]
  const fields = item as unknown as Record<string, Column> & Record<string, number>
  return {
    [key]: fields[key],
    frame: new Uint32Array(item.frame),
    ...mapColumns(columns as Table, (rule, column) =>
      columnAs(rule, fields[column] ?? new Float64Array(item.frame.length).fill(rule.empty ?? 0)),
    ),
  } as unknown as SamplesOf<N>
}
