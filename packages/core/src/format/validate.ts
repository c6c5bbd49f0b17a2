/** From decoded CBOR (or JSON) values to records: every field checked, every column canonical. */
import { FormatError } from './errors.ts'
import {
  amountColumn,
  asFields,
  bad,
  finite,
  finiteColumn,
  list,
  numbers,
  ruledColumn,
  shown,
  text,
  texts,
  time,
  whole,
  wholeColumn,
  byteColumn,
  type Fields,
} from './fields.ts'
import { LIMITS } from './limits.ts'
import { pictureHead } from './picture.ts'
import {
  endRecord,
  FORMAT_VERSION,
  MARKER_KINDS,
  noJobs,
  type AnyRecord,
  type ChunkRecord,
  type Conditions,
  type DeclareRecord,
  type JobEvents,
  type LaneSpans,
  type LeftOut,
  type MarkerDeclaration,
  type MarkerKind,
  type Moment,
  type Picture,
  type Place,
  type ProblemCount,
  type RecorderFigures,
  type SourceLines,
  type Stretch,
  type TakeRecord,
} from './records.ts'
import {
  entriesOf,
  FRAME_COLUMNS,
  JOB_COLUMNS,
  mapColumns,
  MOST_IDS,
  newColumn,
  type OptionalField,
  SAMPLE_NAMES,
  SAMPLES,
  SPAN_DETAILS,
  type ColumnsOf,
  type OtherColumns,
  type SampleName,
  type Table,
} from './tables.ts'

/** What was left out of the record that is being read. */
let leftOut: LeftOut[] = []

/** A field of the list without which all else is understood: left out where it is wrong. */
function optionally<T>(field: OptionalField, read: () => T, without: T): T {
  try {
    return read()
  } catch (error) {
    if (!(error instanceof FormatError)) throw error
    leftOut.push({ field, why: error.reason })
    return without
  }
}

const utf8 = new TextEncoder()
const shortened = (name: string) => name.slice(0, 60)

/** @throws FormatError naming the field, what was expected and what was got */
export function validateRecord(value: unknown): AnyRecord {
  leftOut = []
  const record = recordOf(asFields(value, 'record'))
  if (leftOut.length > 0) record.leftOut = leftOut
  return record
}

function recordOf(fields: Fields): AnyRecord {
  switch (fields['record']) {
    case 'take':
      return takeRecord(fields)
    case 'declare':
      return declareRecord(fields)
    case 'chunk':
      return chunkRecord(fields)
    case 'end':
      return endRecord(sequence(fields), whole(fields, 'dropped', 0, MOST_IDS, 0), problemsOf(fields))
    default:
      throw bad('record', 'one of "take", "declare", "chunk", "end"', fields['record'])
  }
}

const MOST_SEQUENCE = Number.MAX_SAFE_INTEGER
const sequence = (fields: Fields) => whole(fields, 'sequence', 1, MOST_SEQUENCE)

function takeRecord(fields: Fields): TakeRecord {
  if (fields['lapsus'] !== FORMAT_VERSION) {
    throw new FormatError('other-version', `"lapsus" is ${shown(fields['lapsus'])}`)
  }
  const take = identityOf(fields, 'take')
  const target = finite(fields, 'target', 0)
  if (target > 10_000) throw bad('target', 'at most 10000 frames a second', target)
  const conditions = optionally(
    'conditions',
    () => conditionsOf(asFields(fields['conditions'] ?? {}, 'conditions')),
    {},
  )
  return {
    record: 'take',
    lapsus: FORMAT_VERSION,
    take,
    game: text(fields, 'game'),
    target,
    started: dateTime(fields, 'started'),
    conditions,
    ...(fields['writer'] === undefined ? {} : { writer: writerOf(fields) }),
    ...(fields['continues'] === undefined
      ? {}
      : { continues: identityOf(fields, 'continues'), after: whole(fields, 'after', 0, MOST_SEQUENCE, 0) }),
  }
}

function identityOf(fields: Fields, field: string): string {
  const identity = text(fields, field)
  if (!/^[A-Za-z0-9_-]{8,64}$/.test(identity))
    throw bad(field, "8 to 64 letters, digits, '-' or '_'", identity)
  return identity
}

function writerOf(fields: Fields): string {
  const writer = text(fields, 'writer')
  if (!/^[A-Za-z0-9_-]{1,64}$/.test(writer))
    throw bad('writer', "1 to 64 letters, digits, '-' or '_'", writer)
  return writer
}

function dateTime(fields: Fields, field: string): string {
  const value = text(fields, field)
  const date = new Date(value)
  if (Number.isNaN(date.getTime())) throw bad(field, 'a date and time (RFC 3339)', value)
  const year = date.getUTCFullYear()
  if (year < LIMITS.firstYear || year > LIMITS.lastYear)
    throw bad(field, `a date in the years ${LIMITS.firstYear} to ${LIMITS.lastYear}`, value)
  return value
}

const TEXT_CONDITIONS = ['version', 'build', 'device', 'scene', 'load', 'mode', 'runtime', 'probe'] as const

function conditionsOf(fields: Fields): Conditions {
  const conditions: Conditions = {}
  for (const field of TEXT_CONDITIONS) {
    const said = optionally(`conditions.${field}`, () => given(fields, field, text), undefined)
    if (said !== undefined) conditions[field] = said
  }
  const seed = optionally('conditions.seed', () => given(fields, 'seed', finite), undefined)
  if (seed !== undefined) conditions.seed = seed
  const recorder = optionally('conditions.recorder', () => given(fields, 'recorder', recorderOf), undefined)
  if (recorder !== undefined) conditions.recorder = recorder
  const more = optionally(
    'conditions.more',
    () => given(fields, 'more', () => scalars(asFields(fields['more'], 'more'), 'more')),
    undefined,
  )
  if (more !== undefined) conditions.more = more
  return conditions
}

const given = <T>(
  fields: Fields,
  field: string,
  read: (fields: Fields, field: string) => T,
): T | undefined => (fields[field] === undefined ? undefined : read(fields, field))

function recorderOf(fields: Fields, field: string): RecorderFigures {
  const said = asFields(fields[field], field)
  const recorder: RecorderFigures = {
    spanNs: finite(said, 'spanNs'),
    clockReadNs: finite(said, 'clockReadNs'),
    clockResolutionNs: finite(said, 'clockResolutionNs'),
  }
  for (const name of ['insideNs', 'heapReadNs', 'heapReadBytes', 'frameNs'] as const) {
    if (said[name] !== undefined) recorder[name] = finite(said, name)
  }
  return recorder
}

function scalars(fields: Fields, field: string): Record<string, string | number | boolean> {
  for (const [name, value] of Object.entries(fields)) {
    const good =
      typeof value === 'boolean' ||
      typeof value === 'string' ||
      (typeof value === 'number' && Number.isFinite(value))
    if (!good) throw bad(`${field}.${shortened(name)}`, 'a text, a finite number or a truth value', value)
  }
  const bytes = utf8.encode(JSON.stringify(fields)).length
  if (bytes > LIMITS.dataBytes) {
    throw new FormatError('too-large', `"${field}" takes ${bytes} bytes as JSON, at most ${LIMITS.dataBytes}`)
  }
  return fields as Record<string, string | number | boolean>
}

function variantsOf(gauge: Fields): string[] {
  const variants = texts(gauge, 'variants', LIMITS.variants)
  if (variants.length === 1 || new Set(variants).size < variants.length)
    throw bad('variants', 'names of two variants or more, each once', variants)
  return variants
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
      unit: optionally('gauges[].unit', () => text(gauge, 'unit', ''), ''),
      variants: optionally('gauges[].variants', () => variantsOf(gauge), []),
    })),
    watches: list(fields, 'watches', LIMITS.watches).map((watch) => ({
      id: whole(watch, 'id', 0, LIMITS.watches - 1),
      name: text(watch, 'name'),
    })),
    classes: list(fields, 'classes', LIMITS.classes).map((item) => ({
      id: whole(item, 'id', 0, LIMITS.classes - 1),
      name: text(item, 'name'),
      marker: optionally(
        'classes[].marker',
        () => (item['marker'] === undefined ? null : whole(item, 'marker', 0, LIMITS.markers - 1)),
        null,
      ),
    })),
  }
}

function markerOf(fields: Fields): MarkerDeclaration {
  const kind = (fields['kind'] ?? 'work') as MarkerKind
  if (!MARKER_KINDS.includes(kind)) throw bad('kind', `one of ${MARKER_KINDS.join(', ')}`, kind)
  return {
    id: whole(fields, 'id', 0, LIMITS.markers - 1),
    name: text(fields, 'name'),
    group: optionally('markers[].group', () => text(fields, 'group', ''), ''),
    kind,
    tags: optionally('markers[].tags', () => texts(fields, 'tags', LIMITS.tags), []),
    watches: optionally(
      'markers[].watches',
      () => (fields['watches'] === undefined ? [] : watchesOf(fields)),
      [],
    ),
    at: optionally(
      'markers[].at',
      () => ((fields['at'] ?? null) === null ? null : readPlace(asFields(fields['at'], 'at'))),
      null,
    ),
  }
}

/** @throws FormatError naming the field and what was expected */
export function readPlace(fields: Fields): Place {
  return {
    file: text(fields, 'file', undefined, LIMITS.fileLength),
    line: whole(fields, 'line', 1, MOST_IDS),
    source: optionally(
      'markers[].at.source',
      () =>
        (fields['source'] ?? null) === null ? null : readSourceLines(asFields(fields['source'], 'source')),
      null,
    ),
  }
}

/** @throws FormatError naming the field and what was expected */
export function readSourceLines(fields: Fields): SourceLines {
  const { lines } = fields
  if (!Array.isArray(lines) || lines.length > LIMITS.sourceLines)
    throw bad('lines', `an array of at most ${LIMITS.sourceLines} texts`, lines)
  return {
    from: whole(fields, 'from', 1, MOST_IDS),
    lines: lines.map((line: unknown, i) => {
      if (typeof line === 'string' && line.length <= LIMITS.sourceWidth) return line
      throw bad(`lines[${i}]`, `a text of at most ${LIMITS.sourceWidth} characters`, line)
    }),
  }
}

function watchesOf(fields: Fields): number[] {
  const watches = wholeColumn(fields, 'watches', LIMITS.watches - 1)
  if (watches.length > LIMITS.watches)
    throw new FormatError('too-large', `"watches" has ${watches.length} entries, at most ${LIMITS.watches}`)
  return [...watches]
}

function chunkRecord(fields: Fields): ChunkRecord {
  const frames = asFields(fields['frames'], 'frames')
  const frameStartNs = amountColumn(frames, 'start', undefined)
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
  checkSums(lanes)
  if (new Set(lanes.map((lane) => lane.lane)).size < lanes.length) {
    throw new FormatError('bad-field', 'each lane once in "lanes", got one twice')
  }
  const samples = samplesOf(fields, frameCount)
  return {
    record: 'chunk',
    sequence: sequence(fields),
    frameStartNs,
    frameDurationNs: amountColumn(frames, 'duration', frameCount),
    ...mapFrameColumns(frames, frameCount),
    otherFrameColumns: otherColumns(frames, frameCount),
    lanes,
    ...samples,
    jobs: fields['jobs'] === undefined ? noJobs() : jobEvents(asFields(fields['jobs'], 'jobs')),
    moments: list(fields, 'moments', LIMITS.chunkMoments).map(momentOf),
    pictures: optionally('pictures', () => list(fields, 'pictures', LIMITS.chunkPictures), []).flatMap(
      (one) => optionally('pictures', () => [pictureOf(one)], []),
    ),
    stretch: fields['stretch'] === undefined ? null : stretchOf(asFields(fields['stretch'], 'stretch')),
    dropped: whole(fields, 'dropped', 0, MOST_IDS, 0),
    repaired: whole(fields, 'repaired', 0, MOST_IDS, 0),
    problems: problemsOf(fields),
  }
}

function pictureOf(fields: Fields): Picture {
  const bytes = byteColumn(fields, 'bytes')
  if (bytes.length > LIMITS.pictureBytes)
    throw new FormatError('too-large', `"bytes" has ${bytes.length} elements, at most ${LIMITS.pictureBytes}`)
  const head = pictureHead(bytes)
  const { pictureWidth, pictureHeight } = LIMITS
  if (head === null || head.width > pictureWidth || head.height > pictureHeight)
    throw bad(
      'bytes',
      `a PNG, JPEG or WebP of at most ${pictureWidth} × ${pictureHeight} pixels`,
      fields['bytes'],
    )
  return { atNs: time(fields, 'at'), bytes }
}

const problemsOf = (fields: Fields): ProblemCount[] =>
  optionally(
    'problems',
    () =>
      list(fields, 'problems', LIMITS.problems).map((problem) => ({
        what: text(problem, 'what'),
        about: text(problem, 'about', ''),
        count: whole(problem, 'count', 1, MOST_IDS),
      })),
    [],
  )

/** One element a frame, none of which the others are read by. */
const mapFrameColumns = (frames: Fields, length: number): ColumnsOf<typeof FRAME_COLUMNS> =>
  mapColumns(FRAME_COLUMNS, (rule) =>
    optionally(
      `frames.${rule.wire}` as OptionalField,
      () => ruledColumn(frames, rule, length),
      newColumn(rule, length),
    ),
  ) as ColumnsOf<typeof FRAME_COLUMNS>

function laneSpans(fields: Fields, frameCount: number): LaneSpans {
  const count = wholeColumn(fields, 'count', LIMITS.chunkSpans, frameCount)
  const spans = count.reduce((sum, n) => sum + n, 0)
  if (spans > LIMITS.chunkSpans) {
    throw new FormatError('too-large', `"count" adds up to ${spans} spans, at most ${LIMITS.chunkSpans}`)
  }
  const depth = byteColumn(fields, 'depth', spans)
  checkDepths(depth, count)
  return {
    lane: whole(fields, 'lane', 0, LIMITS.lanes - 1),
    count,
    marker: wholeColumn(fields, 'marker', LIMITS.markers - 1, spans),
    startNs: amountColumn(fields, 'start', spans),
    durationNs: amountColumn(fields, 'duration', spans),
    depth,
    ...(Object.fromEntries(
      entriesOf(SPAN_DETAILS)
        .filter(([, { wire }]) => fields[wire] !== undefined)
        .map(([name, rule]) => [
          name,
          optionally(
            `lanes[].${rule.wire}` as OptionalField,
            () => ruledColumn(fields, rule, spans),
            undefined,
          ),
        ])
        .filter(([, column]) => column !== undefined),
    ) as Partial<ColumnsOf<typeof SPAN_DETAILS>>),
  }
}

/** A span is at most one deeper than the one before it in its frame. @throws FormatError */
function checkDepths(depth: Uint8Array, count: Uint32Array): void {
  let span = 0
  for (let frame = 0; frame < count.length; frame++) {
    let deepest = 0
    for (const end = span + count[frame]!; span < end; span++) {
      if (depth[span]! > deepest)
        throw bad(`depth[${span}]`, `at most ${deepest} (one below the span before it)`, depth[span])
      deepest = depth[span]! + 1
    }
  }
}

/** Whatever is added up over a chunk stays a whole number that is exact. @throws FormatError */
export function checkSums(lanes: readonly LaneSpans[]): void {
  for (const field of ['durationNs', 'bytes'] as const) {
    const sum = lanes.reduce((sum, lane) => sum + sumOf(lane[field] ?? []), 0)
    if (sum <= LIMITS.largestWhole) continue
    const what = field === 'bytes' ? 'bytes' : 'durations'
    throw new FormatError(
      'too-large',
      `the ${what} of a chunk add up to ${sum}, at most ${LIMITS.largestWhole}`,
    )
  }
}

function sumOf(column: ArrayLike<number>): number {
  let sum = 0
  for (let i = 0; i < column.length; i++) sum += column[i]!
  return sum
}

const ruledColumns = <T extends Table>(fields: Fields, table: T, length: number): ColumnsOf<T> =>
  mapColumns(table, (rule) => ruledColumn(fields, rule, length)) as ColumnsOf<T>

const KNOWN_FRAME_COLUMNS = ['start', 'duration', ...entriesOf(FRAME_COLUMNS).map(([, { wire }]) => wire)]

/** What a later version, or somebody else, says of each frame: kept as it is. What is no such column is passed over. */
function otherColumns(frames: Fields, length: number): OtherColumns {
  const names = Object.keys(frames)
    .filter((name) => !KNOWN_FRAME_COLUMNS.includes(name) && isColumn(frames[name], length))
    .filter((name) => name !== '' && name.length <= LIMITS.nameLength)
  if (names.length > LIMITS.otherColumns) {
    throw new FormatError(
      'too-large',
      `${names.length} more columns of frames, at most ${LIMITS.otherColumns}`,
    )
  }
  return Object.fromEntries(names.map((name) => [name, finiteColumn(frames, name, length)]))
}

const isColumn = (value: unknown, length: number): boolean =>
  (Array.isArray(value) && value.length === length && value.every((item) => typeof item === 'number')) ||
  (ArrayBuffer.isView(value) && 'length' in value && value.length === length)

/** Gauges, watches, lives and updaters. */
function samplesOf(fields: Fields, frameCount: number): Pick<ChunkRecord, SampleName> {
  let values = 0
  const all = SAMPLE_NAMES.map((name) => {
    const { key, most, columns } = SAMPLES[name]
    const items = list(fields, name, most).map((item) => {
      const frame = wholeColumn(item, 'frame', Math.max(0, frameCount - 1))
      values += frame.length
      return { [key]: whole(item, key, 0, most - 1), frame, ...ruledColumns(item, columns, frame.length) }
    })
    return [name, items]
  })
  if (values > LIMITS.chunkSamples) {
    throw new FormatError(
      'too-large',
      `${values} values of gauges, watches, lives and updaters in a chunk, at most ${LIMITS.chunkSamples}`,
    )
  }
  return Object.fromEntries(all) as Pick<ChunkRecord, SampleName>
}

function jobEvents(fields: Fields): JobEvents {
  const { length } = numbers(fields, 'job')
  if (length > LIMITS.chunkJobs) {
    throw new FormatError('too-large', `${length} job events in a chunk, at most ${LIMITS.chunkJobs}`)
  }
  return ruledColumns(fields, JOB_COLUMNS, length)
}

function stretchOf(fields: Fields): Stretch {
  return { cause: text(fields, 'cause'), at: dateTime(fields, 'at') }
}

function momentOf(fields: Fields): Moment {
  const atNs = time(fields, 'at')
  const data = optionally(
    'moments[].data',
    () =>
      fields['data'] === undefined || fields['data'] === null
        ? null
        : scalars(asFields(fields['data'], 'data'), 'data'),
    null,
  )
  return { name: text(fields, 'name'), atNs, data }
}
