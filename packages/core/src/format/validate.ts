/** From decoded CBOR (or JSON) values to records: every field checked, every column canonical. */
import { FormatError } from './errors.ts'
import { asFields, bad, finite, finiteColumn, list, text, whole, wholeColumn, type Fields } from './fields.ts'
import { LIMITS } from './limits.ts'
import {
  FORMAT_VERSION,
  MARKER_KINDS,
  type AnyRecord,
  type ChunkRecord,
  type Conditions,
  type DeclareRecord,
  type GaugeSamples,
  type LaneSpans,
  type MarkerDeclaration,
  type MarkerKind,
  type Moment,
  type TakeRecord,
} from './records.ts'

const MOST_IDS = 0xffff_ffff

/** @throws FormatError naming the field, what was expected and what was got */
export function validateRecord(value: unknown): AnyRecord {
  const fields = asFields(value, 'record')
  switch (fields['record']) {
    case 'take':
      return takeRecord(fields)
    case 'declare':
      return declareRecord(fields)
    case 'chunk':
      return chunkRecord(fields)
    case 'end':
      return { record: 'end', sequence: sequence(fields), dropped: whole(fields, 'dropped', 0, MOST_IDS, 0) }
    default:
      throw bad('record', 'one of "take", "declare", "chunk", "end"', fields['record'])
  }
}

const sequence = (fields: Fields) => whole(fields, 'sequence', 1, Number.MAX_SAFE_INTEGER)

function takeRecord(fields: Fields): TakeRecord {
  if (fields['lapsus'] !== FORMAT_VERSION) {
    throw new FormatError('other-version', `"lapsus" is ${String(fields['lapsus'])}`)
  }
  const take = text(fields, 'take')
  if (!/^[A-Za-z0-9_-]{8,64}$/.test(take)) throw bad('take', "8 to 64 letters, digits, '-' or '_'", take)
  const started = text(fields, 'started')
  if (Number.isNaN(Date.parse(started))) throw bad('started', 'a date and time (RFC 3339)', started)
  const target = finite(fields, 'target', 0)
  if (target > 10_000) throw bad('target', 'at most 10000 frames a second', target)
  const conditions = conditionsOf(asFields(fields['conditions'] ?? {}, 'conditions'))
  return {
    record: 'take',
    lapsus: FORMAT_VERSION,
    take,
    game: text(fields, 'game'),
    target,
    started,
    conditions,
  }
}

const TEXT_CONDITIONS = ['build', 'device', 'scene', 'load', 'mode', 'runtime'] as const

function conditionsOf(fields: Fields): Conditions {
  const conditions: Conditions = {}
  for (const field of TEXT_CONDITIONS)
    if (fields[field] !== undefined) conditions[field] = text(fields, field)
  if (fields['seed'] !== undefined) conditions.seed = finite(fields, 'seed')
  if (fields['recorder'] !== undefined) {
    const recorder = asFields(fields['recorder'], 'recorder')
    conditions.recorder = {
      spanNs: finite(recorder, 'spanNs'),
      clockReadNs: finite(recorder, 'clockReadNs'),
      clockResolutionNs: finite(recorder, 'clockResolutionNs'),
    }
  }
  if (fields['more'] !== undefined) conditions.more = scalars(asFields(fields['more'], 'more'), 'more')
  return conditions
}

function scalars(fields: Fields, field: string): Record<string, string | number | boolean> {
  for (const [name, value] of Object.entries(fields)) {
    const good =
      typeof value === 'boolean' ||
      typeof value === 'string' ||
      (typeof value === 'number' && Number.isFinite(value))
    if (!good) throw bad(`${field}.${name}`, 'a text, a finite number or a truth value', value)
  }
  return fields as Record<string, string | number | boolean>
}

function declareRecord(fields: Fields): DeclareRecord {
  return {
    record: 'declare',
    sequence: sequence(fields),
    markers: list(fields, 'markers', LIMITS.markers).map(markerOf),
    lanes: list(fields, 'lanes', LIMITS.lanes).map((lane) => ({
      id: whole(lane, 'id', 0, LIMITS.lanes - 1),
      name: text(lane, 'name'),
    })),
    gauges: list(fields, 'gauges', LIMITS.gauges).map((gauge) => ({
      id: whole(gauge, 'id', 0, LIMITS.gauges - 1),
      name: text(gauge, 'name'),
      unit: text(gauge, 'unit', ''),
    })),
  }
}

function markerOf(fields: Fields): MarkerDeclaration {
  const kind = (fields['kind'] ?? 'work') as MarkerKind
  if (!MARKER_KINDS.includes(kind)) throw bad('kind', `one of ${MARKER_KINDS.join(', ')}`, kind)
  return {
    id: whole(fields, 'id', 0, LIMITS.markers - 1),
    name: text(fields, 'name'),
    group: text(fields, 'group', ''),
    kind,
  }
}

function chunkRecord(fields: Fields): ChunkRecord {
  const frames = asFields(fields['frames'], 'frames')
  const frameStartNs = finiteColumn(frames, 'start', undefined, 0)
  const frameCount = frameStartNs.length
  if (frameCount > LIMITS.chunkFrames) {
    throw new FormatError('too-large', `${frameCount} frames in a chunk, at most ${LIMITS.chunkFrames}`)
  }
  for (let i = 1; i < frameCount; i++) {
    if (frameStartNs[i]! < frameStartNs[i - 1]!) {
      throw bad(
        `start[${i}]`,
        `no earlier than the frame before it (${frameStartNs[i - 1]} ns)`,
        frameStartNs[i],
      )
    }
  }
  const lanes = list(fields, 'lanes', LIMITS.lanes).map((lane) => laneSpans(lane, frameCount))
  const spans = lanes.reduce((sum, lane) => sum + lane.marker.length, 0)
  if (spans > LIMITS.chunkSpans) {
    throw new FormatError('too-large', `${spans} spans in a chunk, at most ${LIMITS.chunkSpans}`)
  }
  if (new Set(lanes.map((lane) => lane.lane)).size < lanes.length) {
    throw new FormatError('bad-field', 'each lane once in "lanes", got one twice')
  }
  return {
    record: 'chunk',
    sequence: sequence(fields),
    frameStartNs,
    frameDurationNs: finiteColumn(frames, 'duration', frameCount, 0),
    steps:
      frames['steps'] === undefined
        ? new Uint32Array(frameCount)
        : wholeColumn(frames, 'steps', MOST_IDS, frameCount),
    lanes,
    gauges: list(fields, 'gauges', LIMITS.gauges).map((gauge) => gaugeSamples(gauge, frameCount)),
    moments: list(fields, 'moments', LIMITS.chunkMoments).map(momentOf),
    dropped: whole(fields, 'dropped', 0, MOST_IDS, 0),
    repaired: whole(fields, 'repaired', 0, MOST_IDS, 0),
  }
}

function laneSpans(fields: Fields, frameCount: number): LaneSpans {
  const count = wholeColumn(fields, 'count', LIMITS.chunkSpans, frameCount)
  const spans = count.reduce((sum, n) => sum + n, 0)
  if (spans > LIMITS.chunkSpans) {
    throw new FormatError('too-large', `"count" adds up to ${spans} spans, at most ${LIMITS.chunkSpans}`)
  }
  const depth = new Uint8Array(wholeColumn(fields, 'depth', LIMITS.spanDepth, spans))
  let span = 0
  for (let frame = 0; frame < frameCount; frame++) {
    let deepest = 0
    for (const end = span + count[frame]!; span < end; span++) {
      if (depth[span]! > deepest)
        throw bad(`depth[${span}]`, `at most ${deepest} (one below the span before it)`, depth[span])
      deepest = depth[span]! + 1
    }
  }
  return {
    lane: whole(fields, 'lane', 0, LIMITS.lanes - 1),
    count,
    marker: wholeColumn(fields, 'marker', LIMITS.markers - 1, spans),
    startNs: finiteColumn(fields, 'start', spans, 0),
    durationNs: finiteColumn(fields, 'duration', spans, 0),
    depth,
  }
}

function gaugeSamples(fields: Fields, frameCount: number): GaugeSamples {
  const frame = wholeColumn(fields, 'frame', Math.max(0, frameCount - 1))
  return {
    gauge: whole(fields, 'gauge', 0, LIMITS.gauges - 1),
    frame,
    value: finiteColumn(fields, 'value', frame.length),
  }
}

function momentOf(fields: Fields): Moment {
  const atNs = finite(fields, 'at')
  if (atNs < 0) throw bad('at', 'at least 0', atNs)
  const data =
    fields['data'] === undefined || fields['data'] === null
      ? null
      : scalars(asFields(fields['data'], 'data'), 'data')
  return { name: text(fields, 'name'), atNs, data }
}
