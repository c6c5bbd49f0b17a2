/**
 * From records to bytes: the wire form of each record, columns as narrow as they can be and left out where
 * they say nothing.
 */
import { encodeCbor, encodeSelfDescribed } from './cbor-encode.ts'
import { narrow, type Column } from './columns.ts'
import type {
  AnyRecord,
  ChunkRecord,
  DeclareRecord,
  JobEvents,
  LaneSpans,
  MarkerDeclaration,
  UpdaterSamples,
} from './records.ts'

/** One record of a take stream or file. */
export function encodeRecord(record: AnyRecord): Uint8Array {
  const wire = wireRecord(record)
  return record.record === 'take' ? encodeSelfDescribed(wire) : encodeCbor(wire)
}

/** A record as docs/format.md describes it: fields as they are named there, columns as typed arrays. */
export function wireRecord(record: AnyRecord): object {
  switch (record.record) {
    case 'take':
      return record
    case 'declare':
      return wireDeclare(record)
    case 'chunk':
      return wireChunk(record)
    case 'end':
      return { ...record, dropped: record.dropped || undefined, problems: some(record.problems) }
  }
}

const wireDeclare = (record: DeclareRecord) => ({
  record: record.record,
  sequence: record.sequence,
  markers: record.markers.map(wireMarker),
  lanes: record.lanes,
  gauges: record.gauges.map((gauge) => ({ ...gauge, unit: gauge.unit || undefined })),
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
})

const wireChunk = (record: ChunkRecord) => ({
  record: record.record,
  sequence: record.sequence,
  frames: {
    start: record.frameStartNs,
    duration: narrow(record.frameDurationNs),
    steps: record.steps.some((n) => n > 0) ? narrow(record.steps) : undefined,
  },
  lanes: record.lanes.map(wireLane),
  gauges: record.gauges.map(({ gauge, frame, value }) => ({ gauge, frame: narrow(frame), value })),
  watches: some(record.watches.map((item) => ({ ...item, ...narrowed(item, 'frame', 'looks', 'changes') }))),
  lives: some(record.lives.map((item) => ({ ...item, ...narrowed(item, 'frame', 'born', 'died', 'bytes') }))),
  updaters: some(record.updaters.map(wireUpdaters)),
  jobs: record.jobs.job.length > 0 ? wireJobs(record.jobs) : undefined,
  moments: record.moments.map(({ name, atNs, data }) => ({ name, at: atNs, data: data ?? undefined })),
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
  effect: lane.effect,
  bytes: lane.bytes && narrowBytes(lane.bytes),
  key: lane.key && narrow(lane.key),
})

/** Signed: −1 stands for unknown. */
const narrowBytes = (bytes: Float64Array): Column =>
  bytes.every((n) => n <= 0x7fff_ffff) ? new Int32Array(bytes) : bytes

const wireUpdaters = ({ everyMs, ...item }: UpdaterSamples) => ({
  ...item,
  ...narrowed(item, 'frame', 'instances', 'enabled', 'unseen', 'far', 'asleep'),
  every: everyMs,
})

const wireJobs = ({ atNs, ...jobs }: JobEvents) => ({
  ...narrowed(jobs, 'job', 'event', 'lane', 'marker'),
  at: atNs,
})

function narrowed<K extends string>(item: Record<K, ArrayLike<number>>, ...fields: K[]): Record<K, Column> {
  return Object.fromEntries(fields.map((field) => [field, narrow(item[field])])) as Record<K, Column>
}
