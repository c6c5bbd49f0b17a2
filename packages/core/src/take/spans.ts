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

/** Index of a frame's first span. */
export const firstSpan = (spans: SpanColumns, frame: number) => (frame === 0 ? 0 : spans.frameEnd[frame - 1]!)
