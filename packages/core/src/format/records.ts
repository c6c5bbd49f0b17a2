/**
 * The records of a take, version 1, as readers see them: columns are typed arrays of one canonical
 * type each, whatever width the emitter chose. docs/format.md is the specification.
 *
 * Times are ns since the take's start on the game's own clock.
 */

export const FORMAT_VERSION = 1

/** What a span of a marker is: computing, blocked on something, or a garbage collection. */
export const MARKER_KINDS = [
  'work',
  'wait:refresh',
  'wait:graphics',
  'wait:job',
  'wait:io',
  'collect',
] as const
export type MarkerKind = (typeof MARKER_KINDS)[number]

/** Figures that the probe measured about itself at start. */
export interface RecorderFigures {
  /** Cost of one enter + leave, ns. */
  spanNs: number
  /** Cost of one clock read, ns. */
  clockReadNs: number
  /** Smallest step between two clock readings, ns. */
  clockResolutionNs: number
}

/** The circumstances a take was made under. Unknown ones are left out. */
export interface Conditions {
  build?: string
  device?: string
  scene?: string
  seed?: number
  load?: string
  mode?: string
  runtime?: string
  recorder?: RecorderFigures
  /** Anything else the game wants kept, by name. */
  more?: Record<string, string | number | boolean>
}

export interface TakeRecord {
  record: 'take'
  lapsus: typeof FORMAT_VERSION
  /** Identifies the take for good: letters, digits, '-', '_'; 8 to 64 of them. */
  take: string
  game: string
  /** Frames a second the game aims for. */
  target: number
  /** Wall-clock time of the take's start, RFC 3339. */
  started: string
  conditions: Conditions
}

export interface MarkerDeclaration {
  id: number
  name: string
  group: string
  kind: MarkerKind
}
export interface LaneDeclaration {
  id: number
  name: string
}
export interface GaugeDeclaration {
  id: number
  name: string
  unit: string
}

export interface DeclareRecord {
  record: 'declare'
  sequence: number
  markers: MarkerDeclaration[]
  lanes: LaneDeclaration[]
  gauges: GaugeDeclaration[]
}

/** Spans of one lane, frame after frame, each frame's in order of start with parents before children. */
export interface LaneSpans {
  lane: number
  /** Spans handed over with each frame of the chunk. */
  count: Uint32Array
  marker: Uint32Array
  startNs: Float64Array
  durationNs: Float64Array
  /** 0 for the outermost. */
  depth: Uint8Array
}

export interface GaugeSamples {
  gauge: number
  /** Frame within the chunk, from 0. */
  frame: Uint32Array
  value: Float64Array
}

export interface Moment {
  name: string
  atNs: number
  data: Record<string, string | number | boolean> | null
}

export interface ChunkRecord {
  record: 'chunk'
  sequence: number
  frameStartNs: Float64Array
  frameDurationNs: Float64Array
  /** Fixed steps run in each frame; 0 where the game does not say. */
  steps: Uint32Array
  lanes: LaneSpans[]
  gauges: GaugeSamples[]
  moments: Moment[]
  /** Whole frames the recorder had to leave out before this chunk. */
  dropped: number
  /** Unbalanced enters and leaves that the recorder repaired in this chunk. */
  repaired: number
}

export interface EndRecord {
  record: 'end'
  sequence: number
  /** Whole frames left out since the last chunk. */
  dropped: number
}

/** Every record after the first carries its sequence number, counting from 1. */
export type FollowingRecord = DeclareRecord | ChunkRecord | EndRecord
export type AnyRecord = TakeRecord | FollowingRecord
