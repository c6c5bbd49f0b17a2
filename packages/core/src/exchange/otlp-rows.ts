/** Spans of OpenTelemetry in columns, apart from those that are frames. */
import type { Moment } from '../format/index.ts'
import type { LooseFrame } from './assemble.ts'
import { LooseSpans } from './loose-spans.ts'
import type { OtlpResource, OtlpService } from './otlp.ts'
import type { OtlpSpan } from './otlp-span.ts'

export interface OtlpFrame extends LooseFrame {
  lane: string
  events: Moment[]
}

export class OtlpRows {
  readonly frames: OtlpFrame[] = []
  readonly others = new LooseSpans()

  static of(spans: Iterable<OtlpSpan>): OtlpRows {
    const rows = new OtlpRows()
    for (const span of spans) rows.add(span)
    return rows
  }

  get count(): number {
    return this.frames.length + this.others.count
  }

  add(span: OtlpSpan): void {
    if (!span.isFrame) {
      this.others.add(span)
      return
    }
    const { lane, startNs, durationNs, events } = span
    this.frames.push({ lane, startNs, durationNs, events })
  }

  addAll(more: OtlpRows): void {
    for (const frame of more.frames) this.frames.push(frame)
    this.others.addAll(more.others, 0)
  }
}

export type OtlpTable = OtlpService<OtlpRows>

/** The same in columns; the spans are its own from then on. */
export const inRows = (resource: OtlpResource): OtlpTable => ({
  ...resource,
  spans: OtlpRows.of(resource.spans),
})
