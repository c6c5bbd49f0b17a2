/** OpenTelemetry traces (OTLP 1.x, ExportTraceServiceRequest in its JSON mapping) as spans of services. */
import { fittingData, LIMITS, type Scalar } from '../format/index.ts'
import type { Skipped } from './import-format.ts'
import { attributesOf, fieldOf, listOf, spanOf, textOf, type OtlpSpan } from './otlp-span.ts'
import { UnixTimes } from './unix-times.ts'

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

/** The service instances of one request: each once, those without a span not at all. */
export class Resources {
  readonly #resources = new Map<string, OtlpResource>()
  readonly times = new UnixTimes()

  get all(): OtlpResource[] {
    return [...this.#resources.values()]
  }

  /** @param resource as the request says it */
  add(resource: unknown, spans: OtlpSpan[]): void {
    if (spans.length === 0) return
    const attributes = attributesOf(resource)
    const service =
      String(attributes.get('service.name') ?? '').slice(0, LIMITS.nameLength) || 'OpenTelemetry'
    const instance = String(attributes.get('service.instance.id') ?? '')
    const key = `${service}\n${instance}`
    const known = this.#resources.get(key)
    if (known === undefined) {
      const conditions = fittingData(Object.fromEntries([...attributes, ['source', 'OpenTelemetry']])).data
      this.#resources.set(key, { service, instance, conditions, baseS: this.times.baseS!, spans })
    } else for (const span of spans) known.spans.push(span)
  }
}

/**
 * Reads one request. What is wrong with a span is named by its index in the request and passed over.
 * @param frameMarker name of the spans that are frames, besides those with the attribute
 */
export function readOtlp(request: unknown, skipped: Skipped, frameMarker?: string): OtlpResource[] {
  const resources = new Resources()
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
    resources.add(fieldOf(resourceSpans, 'resource'), spans)
  }
  return resources.all
}
