/** OpenTelemetry traces (OTLP 1.x, ExportTraceServiceRequest in its JSON mapping) as spans of services. */
import { fittingData, LIMITS, type Scalar } from '../format/index.ts'
import type { Skipped } from './import-format.ts'
import { attributesOf, fieldOf, listOf, spanOf, textOf, type OtlpSpan } from './otlp-span.ts'
import { UnixTimes } from './unix-times.ts'

/** One service instance, one running game, with its spans in one form or the other. */
export interface OtlpService<Spans> {
  service: string
  /** Tells instances apart; empty when not said. */
  instance: string
  conditions: Record<string, Scalar>
  /** Seconds since 1970 that the spans' times count from. */
  baseS: number
  spans: Spans
}
export type OtlpResource = OtlpService<OtlpSpan[]>

/** The service instances of one request: each once. */
export class Resources<Spans> {
  readonly #resources = new Map<string, OtlpService<Spans>>()
  readonly #join: (known: Spans, more: Spans) => void
  readonly times = new UnixTimes()

  constructor(join: (known: Spans, more: Spans) => void) {
    this.#join = join
  }

  get all(): OtlpService<Spans>[] {
    return [...this.#resources.values()]
  }

  /** @param resource as the request says it @param spans at least one */
  add(resource: unknown, spans: Spans): void {
    const attributes = attributesOf(resource)
    const service =
      String(attributes.get('service.name') ?? '').slice(0, LIMITS.nameLength) || 'OpenTelemetry'
    const instance = String(attributes.get('service.instance.id') ?? '')
    const key = `${service}\n${instance}`
    const known = this.#resources.get(key)
    if (known === undefined) {
      const conditions = fittingData(Object.fromEntries([...attributes, ['source', 'OpenTelemetry']])).data
      this.#resources.set(key, { service, instance, conditions, baseS: this.times.baseS!, spans })
    } else this.#join(known.spans, spans)
  }
}

/**
 * Reads one request. What is wrong with a span is named by its index in the request and passed over.
 * @param frameMarker name of the spans that are frames, besides those with the attribute
 */
export function readOtlp(request: unknown, skipped: Skipped, frameMarker?: string): OtlpResource[] {
  const resources = new Resources<OtlpSpan[]>((known, more) => {
    for (const span of more) known.push(span)
  })
  let index = 0
  for (const resourceSpans of listOf(request, 'resourceSpans')) {
    const spans: OtlpSpan[] = []
    for (const scopeSpans of listOf(resourceSpans, 'scopeSpans')) {
      const scope = textOf(fieldOf(fieldOf(scopeSpans, 'scope'), 'name'))
      for (const raw of listOf(scopeSpans, 'spans')) {
        try {
          spans.push(spanOf(raw, scope, resources.times, frameMarker))
        } catch (error) {
          skipped.add(`span ${index}: ${(error as Error).message}`)
        }
        index++
      }
    }
    if (spans.length > 0) resources.add(fieldOf(resourceSpans, 'resource'), spans)
  }
  return resources.all
}
