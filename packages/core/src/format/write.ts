/**
 * From records to bytes: the wire form of each record, columns as narrow as they can be and left out where
 * they say nothing.
 */
import { encodeCbor, encodeSelfDescribed } from './cbor-encode.ts'
import { narrow, type Column } from './typed-arrays.ts'
import type { AnyRecord, ChunkRecord, DeclareRecord, LaneSpans, MarkerDeclaration, Place } from './records.ts'
import {
  entriesOf,
  FRAME_COLUMNS,
  JOB_COLUMNS,
  SAMPLES,
  SPAN_DETAILS,
  type ColumnRule,
  type ColumnsOf,
  type SampleName,
  type SamplesOf,
  type Table,
} from './tables.ts'

/** One record of a take stream or file. */
export function encodeRecord(record: AnyRecord): Uint8Array {
  const wire = wireRecord(record)
  return record.record === 'take' ? encodeSelfDescribed(wire) : encodeCbor(wire)
}

/** A record as docs/format.md describes it: fields as they are named there, columns as typed arrays. */
export function wireRecord(record: AnyRecord): object {
  switch (record.record) {
    case 'take':
      return { ...record, leftOut: undefined }
    case 'declare':
      return wireDeclare(record)
    case 'chunk':
      return wireChunk(record)
    case 'end':
      return {
        ...{ ...record, leftOut: undefined },
        ...{ dropped: record.dropped || undefined, problems: some(record.problems) },
      }
  }
}

const wireDeclare = (record: DeclareRecord) => ({
  record: record.record,
  sequence: record.sequence,
  markers: record.markers.map(wireMarker),
  lanes: record.lanes,
  gauges: record.gauges.map((gauge) => ({
    ...gauge,
    unit: gauge.unit || undefined,
    variants: some(gauge.variants),
  })),
  watches: some(record.watches),
  classes: some(record.classes.map((item) => ({ ...item, marker: item.marker ?? undefined }))),
})

const some = <T extends ArrayLike<unknown>>(items: T): T | undefined => (items.length > 0 ? items : undefined)

const wireMarker = (marker: MarkerDeclaration) => ({
  id: marker.id,
  name: marker.name,
  group: marker.group || undefined,
  kind: marker.kind === 'work' ? undefined : marker.kind,
  tags: some(marker.tags),
  watches: some(marker.watches),
  at: marker.at === null ? undefined : wirePlace(marker.at),
})

const wirePlace = ({ file, line, source }: Place) => ({ file, line, source: source ?? undefined })

const wireChunk = (record: ChunkRecord) => ({
  record: record.record,
  sequence: record.sequence,
  frames: {
    start: record.frameStartNs,
    duration: narrow(record.frameDurationNs),
    ...wireColumns(record, FRAME_COLUMNS),
    ...record.otherFrameColumns,
  },
  lanes: record.lanes.map(wireLane),
  gauges: record.gauges.map((item) => wireSamples('gauges', item)),
  watches: some(record.watches.map((item) => wireSamples('watches', item))),
  lives: some(record.lives.map((item) => wireSamples('lives', item))),
  updaters: some(record.updaters.map((item) => wireSamples('updaters', item))),
  jobs: record.jobs.job.length > 0 ? wireColumns(record.jobs, JOB_COLUMNS) : undefined,
  moments: record.moments.map(({ name, atNs, data }) => ({ name, at: atNs, data: data ?? undefined })),
  pictures: some(record.pictures.map(({ atNs, bytes }) => ({ at: atNs, bytes }))),
  stretch: record.stretch ?? undefined,
  dropped: record.dropped || undefined,
  repaired: record.repaired || undefined,
  problems: some(record.problems),
})

const wireLane = (lane: LaneSpans) => ({
  lane: lane.lane,
  count: narrow(lane.count),
  marker: narrow(lane.marker),
  start: lane.startNs,
  duration: narrow(lane.durationNs),
  depth: lane.depth,
  ...wireColumns(lane, SPAN_DETAILS),
})

/** Signed: −1 stands for unknown. */
const narrowSigned = (values: Float64Array): Column =>
  values.every((n) => n <= 0x7fff_ffff) ? new Int32Array(values) : values

function wireColumn({ asIs, least }: ColumnRule, values: Column): Column {
  if (asIs || values instanceof Uint8Array) return values
  return least < 0 ? narrowSigned(values as Float64Array) : narrow(values)
}

/** The columns of a table under their names on the wire; those that say nothing are left out. */
function wireColumns<T extends Table>(item: Partial<ColumnsOf<T>>, table: T): Record<string, Column> {
  const columns: Record<string, Column> = {}
  for (const [name, rule] of entriesOf(table)) {
    const values: Column | undefined = item[name]
    if (values === undefined || (rule.empty !== null && isEmpty(values, rule.empty))) continue
    columns[rule.wire] = wireColumn(rule, values)
  }
  return columns
}

function isEmpty(values: Column, empty: number): boolean {
  for (let i = 0; i < values.length; i++) if (values[i] !== empty) return false
  return true
}

const wireSamples = <N extends SampleName>(name: N, item: SamplesOf<N>) => ({
  [SAMPLES[name].key]: (item as Record<string, unknown>)[SAMPLES[name].key],
  frame: narrow(item.frame),
  ...wireColumns(item as Partial<ColumnsOf<Table>>, SAMPLES[name].columns),
})
