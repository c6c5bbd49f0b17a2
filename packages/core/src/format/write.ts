/** From records to bytes: the wire form of each record, columns as narrow as they can be. */
import { encodeCbor, encodeSelfDescribed } from './cbor.ts'
import { narrow } from './columns.ts'
import type { AnyRecord, ChunkRecord, DeclareRecord, LaneSpans, MarkerDeclaration } from './records.ts'

/** One record of a take stream or file. */
export function encodeRecord(record: AnyRecord): Uint8Array {
  switch (record.record) {
    case 'take':
      return encodeSelfDescribed(record)
    case 'declare':
      return encodeCbor(wireDeclare(record))
    case 'chunk':
      return encodeCbor(wireChunk(record))
    case 'end':
      return encodeCbor({ ...record, dropped: record.dropped || undefined })
  }
}

const wireDeclare = (record: DeclareRecord) => ({
  record: record.record,
  sequence: record.sequence,
  markers: record.markers.map(wireMarker),
  lanes: record.lanes,
  gauges: record.gauges.map((gauge) => ({ ...gauge, unit: gauge.unit || undefined })),
})

const wireMarker = (marker: MarkerDeclaration) => ({
  id: marker.id,
  name: marker.name,
  group: marker.group || undefined,
  kind: marker.kind === 'work' ? undefined : marker.kind,
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
  moments: record.moments.map(({ name, atNs, data }) => ({ name, at: atNs, data: data ?? undefined })),
  dropped: record.dropped || undefined,
  repaired: record.repaired || undefined,
})

const wireLane = (lane: LaneSpans) => ({
  lane: lane.lane,
  count: narrow(lane.count),
  marker: narrow(lane.marker),
  start: lane.startNs,
  duration: narrow(lane.durationNs),
  depth: lane.depth,
})
