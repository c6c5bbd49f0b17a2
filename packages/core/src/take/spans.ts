/**
 * The spans of a stretch of frames, flat. Frame after frame, in each frame lane after lane, in each lane
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
 * What the runs said about themselves, one element a span, aligned with SpanColumns. A column that says
 * nothing is null.
 */
export interface SpanDetails {
  /** EFFECT_UNSAID, EFFECT_NONE or EFFECT_SOME. */
  effect: Uint8Array | null
  /** Children's included; BYTES_UNKNOWN where a collection ran. */
  bytes: Float64Array | null
  /** NO_KEY where there is none. */
  key: Uint32Array | null
}

export const hasDetails = ({ effect, bytes, key }: SpanDetails): boolean =>
  effect !== null || bytes !== null || key !== null

/** Index of a frame's first span. */
export const firstSpan = (spans: SpanColumns, frame: number) => (frame === 0 ? 0 : spans.frameEnd[frame - 1]!)
