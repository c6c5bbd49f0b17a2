/** One span of OpenTelemetry as Lapsus understands it: docs/format.md, "OpenTelemetry". */
import {
  BYTES_UNKNOWN,
  fittingData,
  EFFECT_NONE,
  EFFECT_SOME,
  EFFECT_UNSAID,
  LIMITS,
  type Moment,
  MARKER_KINDS,
  type MarkerKind,
  type Scalar,
  NO_KEY,
  MOST_IDS,
  type Place,
} from '../format/index.ts'
import type { LooseSpan } from './loose-spans.ts'
import type { UnixTimes } from './unix-times.ts'

/** One span as it came; times in ns since its resource's base. */
export interface OtlpSpan extends LooseSpan {
  isFrame: boolean
  events: Moment[]
}

/** What a span says of itself in attributes, by the places below; undefined where it does not. */
export type Said = (Scalar | undefined)[]

const FRAME = 0
const THREAD = 1
const THREAD_ID = 2
const KIND = 3
const GROUP = 4
const EFFECT = 5
const BYTES = 6
const KEY = 7
const FILE = 8
const OLD_FILE = 9
const LINE = 10
const OLD_LINE = 11
const PLACES = new Map([
  // Makes a span a frame; its value is the frame's index.
  ['lapsus.frame', FRAME],
  ['thread.name', THREAD],
  ['thread.id', THREAD_ID],
  ['lapsus.kind', KIND],
  ['lapsus.group', GROUP],
  ['lapsus.effect', EFFECT],
  ['lapsus.bytes', BYTES],
  ['lapsus.key', KEY],
  ['code.file.path', FILE],
  ['code.filepath', OLD_FILE],
  ['code.line.number', LINE],
  ['code.lineno', OLD_LINE],
])

export const nothingSaid = (): Said => new Array<Scalar | undefined>(PLACES.size).fill(undefined)

/** Keeps an attribute if it means something here. */
export function hear(said: Said, key: string, value: Scalar): void {
  const place = PLACES.get(key)
  if (place !== undefined) said[place] = value
}

/** Nearly all spans: nothing is ever added to it. */
const NO_EVENTS: Moment[] = []

/** A span of which nothing has been read yet. */
export const blankSpan = (): OtlpSpan => ({
  id: undefined,
  parent: undefined,
  name: '',
  lane: 'main',
  group: '',
  kind: 'work',
  effect: EFFECT_UNSAID,
  bytes: BYTES_UNKNOWN,
  key: NO_KEY,
  startNs: NaN,
  durationNs: NaN,
  at: null,
  isFrame: false,
  events: NO_EVENTS,
})

/**
 * Fills in what a span says in attributes.
 * @param scope its instrumentation scope, for its group where it says none
 * @param frameMarker name of the spans that are frames, besides those that say so
 * @throws Error naming what is wrong
 */
export function fill(span: OtlpSpan, said: Said, scope: string, frameMarker: string | undefined): void {
  const kind = said[KIND] ?? 'work'
  if (!MARKER_KINDS.includes(kind as MarkerKind)) {
    throw new Error(
      `expected "lapsus.kind" to be one of ${MARKER_KINDS.join(', ')}, got ${JSON.stringify(kind)}`,
    )
  }
  const [effect, bytes, key] = [said[EFFECT], said[BYTES], said[KEY]]
  span.lane = String(said[THREAD] ?? said[THREAD_ID] ?? 'main').slice(0, LIMITS.nameLength) || 'main'
  span.group = String(said[GROUP] ?? scope).slice(0, LIMITS.nameLength)
  span.kind = kind as MarkerKind
  if (effect !== undefined) span.effect = effect === true ? EFFECT_SOME : EFFECT_NONE
  if (typeof bytes === 'number' && bytes >= 0 && bytes <= LIMITS.largestWhole) span.bytes = bytes
  if (typeof key === 'number' && Number.isInteger(key) && key >= 0 && key <= MOST_IDS) span.key = key
  span.at = placeOf(said[FILE] ?? said[OLD_FILE], said[LINE] ?? said[OLD_LINE])
  span.isFrame = said[FRAME] !== undefined || span.name === frameMarker
}

/** Where in the code a span was made, by the names for it, those of today and those before. */
function placeOf(file: Scalar | undefined, line: Scalar | undefined): Place | null {
  // A longer one has been cut, and names another file, or none.
  if (typeof file !== 'string' || file === '' || file.length >= LIMITS.nameLength) return null
  if (typeof line !== 'number' || !Number.isInteger(line) || line < 1 || line > MOST_IDS) return null
  return { file, line, source: null }
}

/** Of an object, as JSON or protobuf give it. @throws Error naming what is wrong */
export function spanOf(
  raw: unknown,
  scope: string,
  times: UnixTimes,
  frameMarker: string | undefined,
): OtlpSpan {
  const span = blankSpan()
  span.name = textOf(fieldOf(raw, 'name')).slice(0, LIMITS.nameLength)
  if (span.name === '') throw new Error('expected "name" to be a text')
  span.startNs = timeOf(raw, 'startTimeUnixNano', times)
  span.durationNs = timeOf(raw, 'endTimeUnixNano', times) - span.startNs
  if (span.durationNs < 0) {
    const end = String(fieldOf(raw, 'endTimeUnixNano'))
    throw new Error(`expected "endTimeUnixNano" not to be before the start, got ${end}`)
  }
  if (span.durationNs > LIMITS.largestWhole)
    throw new Error(`expected a duration of at most ${LIMITS.largestWhole} ns, got ${span.durationNs}`)
  span.id = idOf(raw, 'spanId')
  span.parent = idOf(raw, 'parentSpanId')
  const said = nothingSaid()
  for (const item of listOf(raw, 'attributes')) {
    const value = scalarOf(fieldOf(item, 'value'))
    if (value !== null) hear(said, textOf(fieldOf(item, 'key')), value)
  }
  fill(span, said, scope, frameMarker)
  span.events = eventsOf(listOf(raw, 'events'), times)
  return span
}

/** @throws Error for one without a time */
export function eventsOf(raw: readonly unknown[], times: UnixTimes): Moment[] {
  if (raw.length === 0) return NO_EVENTS
  return raw.map((event) => {
    const { data } = fittingData(Object.fromEntries(attributesOf(event)))
    return {
      name: textOf(fieldOf(event, 'name')).slice(0, LIMITS.nameLength) || '(no name)',
      atNs: timeOf(event, 'timeUnixNano', times),
      data: Object.keys(data).length === 0 ? null : data,
    }
  })
}

/** Name of a span or of its parent: a text in JSON, bytes in protobuf. */
function idOf(raw: unknown, field: string): string | undefined {
  const value = fieldOf(raw, field)
  return (value instanceof Uint8Array ? value.join() : textOf(value)) || undefined
}

/** @returns ns since the base */
function timeOf(raw: unknown, field: string, times: UnixTimes): number {
  const value = fieldOf(raw, field)
  const ns = times.read(value)
  if (ns !== null) return ns
  const got = typeof value === 'bigint' ? String(value) : (JSON.stringify(value) ?? 'nothing')
  throw new Error(`expected "${field}" to be a time in ns, got ${got}`)
}

/** Attributes with a text, a finite number or a truth value; others are left out. */
export function attributesOf(holder: unknown): Map<string, Scalar> {
  const attributes = new Map<string, Scalar>()
  for (const item of listOf(holder, 'attributes')) {
    const key = textOf(fieldOf(item, 'key'))
    const value = scalarOf(fieldOf(item, 'value'))
    if (key !== '' && value !== null) attributes.set(key, value)
  }
  return attributes
}

/** The value of an attribute; null for one that is none of these. */
export function scalarOf(value: unknown): Scalar | null {
  const { stringValue, boolValue, intValue, doubleValue } = (value ?? {}) as Record<string, unknown>
  if (typeof stringValue === 'string') return stringValue.slice(0, LIMITS.nameLength)
  if (typeof boolValue === 'boolean') return boolValue
  const number = intValue === undefined || intValue === null ? doubleValue : Number(intValue)
  return typeof number === 'number' && Number.isFinite(number) ? number : null
}

export const fieldOf = (value: unknown, field: string): unknown =>
  (value as Record<string, unknown> | null | undefined)?.[field]
export const textOf = (value: unknown): string => (typeof value === 'string' ? value : '')

export function listOf(value: unknown, field: string): unknown[] {
  const list = fieldOf(value, field)
  return Array.isArray(list) ? list : []
}
