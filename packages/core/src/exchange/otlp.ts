/**
 * OpenTelemetry traces (OTLP 1.x, ExportTraceServiceRequest in its JSON mapping) as frames and spans:
 * docs/format.md, "OpenTelemetry".
 */
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
import type { LooseSpan } from './assemble.ts'
import type { Skipped } from './import-format.ts'
import { UnixTimes } from './unix-times.ts'

type Attributes = Map<string, Scalar>

/** One span as it came; times in ns since its resource's base. */
export interface OtlpSpan extends LooseSpan {
  isFrame: boolean
  events: Moment[]
}

/** Spans of one service instance: one running game. */
export interface OtlpResource {
  service: string
  /** Tells instances apart; empty when not said. */
  instance: string
  conditions: Record<string, Scalar>
  /** Seconds since 1970 that the spans' times count from. */
  baseS: number
  spans: OtlpSpan[]
}

/** Attribute that makes a span a frame; its value is the frame's index. */
const FRAME_ATTRIBUTE = 'lapsus.frame'

/**
 * Reads one request: each service instance once, those without a span not at all. What is wrong with a span is named
 * by its index in the request and passed over.
 * @param frameMarker name of the spans that are frames, besides those with the attribute
 */
export function readOtlp(request: unknown, skipped: Skipped, frameMarker?: string): OtlpResource[] {
  const resources = new Map<string, OtlpResource>()
  const times = new UnixTimes()
  let index = 0
  for (const resourceSpans of listOf(request, 'resourceSpans')) {
    const attributes = attributesOf(fieldOf(resourceSpans, 'resource'))
    const spans: OtlpSpan[] = []
    for (const scopeSpans of listOf(resourceSpans, 'scopeSpans')) {
      const scope = textOf(fieldOf(fieldOf(scopeSpans, 'scope'), 'name'))
      for (const raw of listOf(scopeSpans, 'spans')) {
        try {
          spans.push(spanOf(raw, scope, times, frameMarker))
        } catch (error) {
          skipped.add(`span ${index}: ${(error as Error).message}`)
        }
        index++
      }
    }
    if (spans.length === 0) continue
    const service =
      String(attributes.get('service.name') ?? '').slice(0, LIMITS.nameLength) || 'OpenTelemetry'
    const instance = String(attributes.get('service.instance.id') ?? '')
    const key = `${service}\n${instance}`
    const known = resources.get(key)
    if (known === undefined) {
      const conditions = fittingData(Object.fromEntries([...attributes, ['source', 'OpenTelemetry']])).data
      resources.set(key, { service, instance, conditions, baseS: times.baseS!, spans })
    } else for (const span of spans) known.spans.push(span)
  }
  return [...resources.values()]
}

/** The lane a span ran on: its thread. */
const laneOf = (attributes: Attributes): string =>
  String(attributes.get('thread.name') ?? attributes.get('thread.id') ?? 'main').slice(
    0,
    LIMITS.nameLength,
  ) || 'main'

function spanOf(raw: unknown, scope: string, times: UnixTimes, frameMarker: string | undefined): OtlpSpan {
  const name = textOf(fieldOf(raw, 'name')).slice(0, LIMITS.nameLength)
  if (name === '') throw new Error('expected "name" to be a text')
  const startNs = timeOf(raw, 'startTimeUnixNano', times)
  const durationNs = timeOf(raw, 'endTimeUnixNano', times) - startNs
  if (durationNs < 0) {
    const end = String(fieldOf(raw, 'endTimeUnixNano'))
    throw new Error(`expected "endTimeUnixNano" not to be before the start, got ${end}`)
  }
  if (durationNs > LIMITS.largestWhole)
    throw new Error(`expected a duration of at most ${LIMITS.largestWhole} ns, got ${durationNs}`)
  const attributes = attributesOf(raw)
  const kind = attributes.get('lapsus.kind') ?? 'work'
  if (!MARKER_KINDS.includes(kind as MarkerKind)) {
    throw new Error(
      `expected "lapsus.kind" to be one of ${MARKER_KINDS.join(', ')}, got ${JSON.stringify(kind)}`,
    )
  }
  const effect = attributes.get('lapsus.effect')
  const bytes = attributes.get('lapsus.bytes')
  const key = attributes.get('lapsus.key')
  return {
    id: idOf(raw, 'spanId'),
    parent: idOf(raw, 'parentSpanId'),
    name,
    lane: laneOf(attributes),
    group: String(attributes.get('lapsus.group') ?? scope).slice(0, LIMITS.nameLength),
    kind: kind as MarkerKind,
    effect: effect === undefined ? EFFECT_UNSAID : effect === true ? EFFECT_SOME : EFFECT_NONE,
    bytes: typeof bytes === 'number' && bytes >= 0 && bytes <= LIMITS.largestWhole ? bytes : BYTES_UNKNOWN,
    key: typeof key === 'number' && Number.isInteger(key) && key >= 0 && key <= MOST_IDS ? key : NO_KEY,
    startNs,
    durationNs,
    at: placeOf(attributes),
    isFrame: attributes.has(FRAME_ATTRIBUTE) || name === frameMarker,
    events: listOf(raw, 'events').map((event) => {
      const { data } = fittingData(Object.fromEntries(attributesOf(event)))
      return {
        name: textOf(fieldOf(event, 'name')).slice(0, LIMITS.nameLength) || '(no name)',
        atNs: timeOf(event, 'timeUnixNano', times),
        data: Object.keys(data).length === 0 ? null : data,
      }
    }),
  }
}

/** Where in the code a span was made, by the names for it, those of today and those before. */
function placeOf(attributes: Attributes): Place | null {
  const file = attributes.get('code.file.path') ?? attributes.get('code.filepath')
  const line = attributes.get('code.line.number') ?? attributes.get('code.lineno')
  // A longer one has been cut, and names another file, or none.
  if (typeof file !== 'string' || file === '' || file.length >= LIMITS.nameLength) return null
  if (typeof line !== 'number' || !Number.isInteger(line) || line < 1 || line > MOST_IDS) return null
  return { file, line, source: null }
}

/** Name of a span or of its parent: a text in JSON, bytes in protobuf. */
function idOf(raw: unknown, field: string): string | undefined {
  const value = fieldOf(raw, field)
  return (value instanceof Uint8Array ? value.join() : textOf(value)) || undefined
}

const fieldOf = (value: unknown, field: string): unknown =>
  (value as Record<string, unknown> | null | undefined)?.[field]
const textOf = (value: unknown): string => (typeof value === 'string' ? value : '')

function listOf(value: unknown, field: string): unknown[] {
  const list = fieldOf(value, field)
  return Array.isArray(list) ? list : []
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
function attributesOf(holder: unknown): Attributes {
  const attributes: Attributes = new Map()
  for (const item of listOf(holder, 'attributes')) {
    const key = textOf(fieldOf(item, 'key'))
    const value = scalarOf(fieldOf(item, 'value'))
    if (key !== '' && value !== null) attributes.set(key, value)
  }
  return attributes
}

function scalarOf(value: unknown): Scalar | null {
  const { stringValue, boolValue, intValue, doubleValue } = (value ?? {}) as Record<string, unknown>
  if (typeof stringValue === 'string') return stringValue.slice(0, LIMITS.nameLength)
  if (typeof boolValue === 'boolean') return boolValue
  const number = intValue === undefined || intValue === null ? doubleValue : Number(intValue)
  return typeof number === 'number' && Number.isFinite(number) ? number : null
}
