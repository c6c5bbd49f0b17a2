import { entriesOf, mapColumns, SPAN_DETAILS, type ColumnsOf, type LaneSpans } from '../format/index.ts'

/**
 * The spans of frames in a row, flat. Frame after frame, in each frame lane after lane, in each lane
 * in order of start with parents before their children. The path says lane, marker and depth.
 */
export interface SpanColumns {
  /** For each frame, the index after its last span. */
  frameEnd: Uint32Array
  path: Uint32Array
  /** ns since the take's start. */
  startNs: Float64Array
  durationNs: Float64Array
}

/**
 * What the runs said about themselves, one element a span, aligned with SpanColumns (format/tables). A column that
 * says nothing is null.
 */
export type SpanDetails = {
  [K in keyof ColumnsOf<typeof SPAN_DETAILS>]: ColumnsOf<typeof SPAN_DETAILS>[K] | null
}

export const DETAIL_NAMES = entriesOf(SPAN_DETAILS).map(([name]) => name)

export const hasDetails = (details: SpanDetails): boolean =>
  DETAIL_NAMES.some((name) => details[name] !== null)

export const noSpanDetails = (): SpanDetails => mapColumns(SPAN_DETAILS, () => null)

/** Index of a frame's first span. */
export const firstSpan = (spans: SpanColumns, frame: number) => (frame === 0 ? 0 : spans.frameEnd[frame - 1]!)

/** The spans of one frame by themselves, with what they said. */
export function spansOfFrame(
  spans: SpanColumns,
  details: SpanDetails,
  frame: number,
): { spans: SpanColumns; details: SpanDetails } {
  const first = firstSpan(spans, frame)
  const end = spans.frameEnd[frame]!
  return {
    spans: {
      frameEnd: Uint32Array.of(end - first),
      path: spans.path.slice(first, end),
      startNs: spans.startNs.slice(first, end),
      durationNs: spans.durationNs.slice(first, end),
    },
    details: mapColumns(SPAN_DETAILS, (_, name) => details[name]?.slice(first, end) ?? null) as SpanDetails,
  }
}

/** The details that a lane has, each as `make` makes it. */
export const detailsOf = (
  lane: LaneSpans,
  make: <T extends Uint8Array | Uint32Array | Float64Array>(column: T) => T,
): Partial<ColumnsOf<typeof SPAN_DETAILS>> =>
  Object.fromEntries(
    DETAIL_NAMES.flatMap((name) =>
      lane[name] === undefined ? [] : [[name, make<Uint8Array | Uint32Array | Float64Array>(lane[name])]],
    ),
  )
