/** A take as OTLP JSON: a request a chunk, one a line; frames and spans become spans. */
import {
  EFFECT_SOME,
  EFFECT_UNSAID,
  type ChunkRecord,
  type LaneSpans,
  type TakeRecord,
  NO_KEY,
} from '../format/index.ts'
import { MAIN_LANE, type Declarations } from '../take/index.ts'

type Value = { stringValue: string } | { intValue: string } | { doubleValue: number } | { boolValue: boolean }
interface Attribute {
  key: string
  value: Value
}

const text = (key: string, value: string): Attribute => ({ key, value: { stringValue: value } })
const whole = (key: string, value: number): Attribute => ({ key, value: { intValue: String(value) } })
const truth = (key: string, value: boolean): Attribute => ({ key, value: { boolValue: value } })

const INTERNAL = 1

export class OtlpWriter {
  readonly #take: TakeRecord
  readonly #declarations: Declarations
  readonly #startedNs: bigint
  readonly #traceId: string
  #frame = 0
  #span = 0

  /** @param declarations of the whole take */
  constructor(take: TakeRecord, declarations: Declarations) {
    this.#take = take
    this.#declarations = declarations
    this.#startedNs = BigInt(Date.parse(take.started)) * 1_000_000n
    this.#traceId = hexOf(take.take, 32)
  }

  /** One chunk as a line of JSON. */
  line(chunk: ChunkRecord): string {
    const spans = chunk.frameStartNs.length === 0 ? [] : this.#spans(chunk)
    const request = {
      resourceSpans: [
        {
          resource: {
            attributes: [text('service.name', this.#take.game), text('service.instance.id', this.#take.take)],
          },
          scopeSpans: [{ scope: { name: 'lapsus' }, spans }],
        },
      ],
    }
    return JSON.stringify(request) + '\n'
  }

  #spans(chunk: ChunkRecord): object[] {
    const spans: object[] = []
    const next = new Uint32Array(chunk.lanes.length)
    const moments = [...chunk.moments].sort((a, b) => a.atNs - b.atNs)
    let moment = 0
    for (let frame = 0; frame < chunk.frameStartNs.length; frame++) {
      const frameId = this.#newId()
      chunk.lanes.forEach((lane, l) => {
        const end = next[l]! + lane.count[frame]!
        this.#laneSpans(lane, next[l]!, end, frameId, spans)
        next[l] = end
      })
      const last = frame + 1 === chunk.frameStartNs.length
      const events: object[] = []
      for (; moment < moments.length; moment++) {
        const { name, atNs, data } = moments[moment]!
        if (!last && atNs >= chunk.frameStartNs[frame + 1]!) break
        events.push({ name, timeUnixNano: this.#time(atNs), attributes: attributesOf(data ?? {}) })
      }
      // After what is in it, as it would have ended.
      spans.push({
        traceId: this.#traceId,
        spanId: frameId,
        name: 'frame',
        kind: INTERNAL,
        startTimeUnixNano: this.#time(chunk.frameStartNs[frame]!),
        endTimeUnixNano: this.#time(chunk.frameStartNs[frame]! + chunk.frameDurationNs[frame]!),
        attributes: [
          whole('lapsus.frame', this.#frame++),
          text('thread.name', this.#declarations.lanes.get(MAIN_LANE)?.name ?? 'main'),
        ],
        ...(events.length > 0 ? { events } : {}),
      })
    }
    return spans
  }

  #laneSpans(lane: LaneSpans, from: number, end: number, frameId: string, spans: object[]): void {
    const parents = [frameId]
    const laneName = this.#declarations.lane(lane.lane).name
    for (let i = from; i < end; i++) {
      const marker = this.#declarations.marker(lane.marker[i]!)
      const spanId = this.#newId()
      parents[lane.depth[i]! + 1] = spanId
      const effect = lane.effect?.[i] ?? EFFECT_UNSAID
      const bytes = lane.bytes?.[i] ?? -1
      const key = lane.key?.[i] ?? NO_KEY
      spans.push({
        traceId: this.#traceId,
        spanId,
        parentSpanId: parents[lane.depth[i]!],
        name: marker.name,
        kind: INTERNAL,
        startTimeUnixNano: this.#time(lane.startNs[i]!),
        endTimeUnixNano: this.#time(lane.startNs[i]! + lane.durationNs[i]!),
        attributes: [
          text('thread.name', laneName),
          ...(marker.group === '' ? [] : [text('lapsus.group', marker.group)]),
          ...(marker.kind === 'work' ? [] : [text('lapsus.kind', marker.kind)]),
          ...(marker.at === null
            ? []
            : [text('code.file.path', marker.at.file), whole('code.line.number', marker.at.line)]),
          ...(effect === EFFECT_UNSAID ? [] : [truth('lapsus.effect', effect === EFFECT_SOME)]),
          ...(bytes < 0 ? [] : [whole('lapsus.bytes', bytes)]),
          ...(key === NO_KEY ? [] : [whole('lapsus.key', key)]),
        ],
      })
    }
  }

  #time = (ns: number): string => String(this.#startedNs + BigInt(Math.round(ns)))
  #newId = (): string => (++this.#span).toString(16).padStart(16, '0')
}

const attributesOf = (data: Record<string, string | number | boolean>): Attribute[] =>
  Object.entries(data).map(([key, value]) =>
    typeof value === 'string'
      ? text(key, value)
      : typeof value === 'boolean'
        ? truth(key, value)
        : { key, value: { doubleValue: value } },
  )

/** Any text as that many hexadecimal digits (FNV-1a, continued). */
function hexOf(name: string, digits: number): string {
  let hash = 0x811c9dc5
  let hex = ''
  for (let round = 0; hex.length < digits; round++) {
    for (let i = 0; i < name.length; i++)
      hash = Math.imul(hash ^ name.charCodeAt(i) ^ round, 0x01000193) >>> 0
    hex += hash.toString(16).padStart(8, '0')
  }
  return hex.slice(0, digits)
}
