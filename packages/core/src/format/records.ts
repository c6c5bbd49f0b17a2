/**
 * The records of a take, version 1, as readers see them: columns are typed arrays of one canonical
 * type each, whatever width the emitter chose. docs/format.md is the specification.
 *
 * Times are ns since the take's start on the game's own clock.
 */

import {
  FRAME_COLUMNS,
  JOB_COLUMNS,
  newColumns,
  type ColumnsOf,
  type OtherColumns,
  type SamplesOf,
  type OptionalField,
  type SPAN_DETAILS,
} from './tables.ts'

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
  /** What an empty span itself shows: the part of `spanNs` between its two clock reads, ns. */
  insideNs?: number
  /** Cost of one heap read, ns; only where heap reads are made. */
  heapReadNs?: number
  /** What one heap read itself allocates; taken out of the bytes already. */
  heapReadBytes?: number
  /** What the recorder does once a frame, whatever its spans, ns. */
  frameNs?: number
}

/** How a take was recorded. */
export const RECORDING_MODES = ['timing', 'bytes', 'keep-last'] as const
export type RecordingMode = (typeof RECORDING_MODES)[number]

/** The circumstances a take was made under. Unknown ones are left out. */
export interface Conditions {
  /** Of the game. */
  version?: string
  build?: string
  device?: string
  scene?: string
  seed?: number
  load?: string
  /** One of RECORDING_MODES where the probe recorded it. */
  mode?: string
  runtime?: string
  /** What recorded it, with its version. */
  probe?: string
  recorder?: RecorderFigures
  /** Anything else the game wants kept, by name. */
  more?: Record<string, string | number | boolean>
}

/** A field that was wrong and was left out (tables.ts, OPTIONAL_FIELDS). Of records that are read; never written. */
export interface LeftOut {
  field: OptionalField
  /** What was expected, and what was got. */
  why: string
}

/** Calls or fields that were left out, of the kind that a take counts: by where. */
export const LEFT_OUT = 'fields of records were wrong'

export interface TakeRecord {
  leftOut?: LeftOut[]
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
  /**
   * Identifies the recorder that writes the take, such as a process: tells one that connects again from another one
   * that writes under the same identity. Up to 64 letters, digits, '-', '_'.
   */
  writer?: string
  /** The take that this one goes on with, where its server had less than it had acknowledged. */
  continues?: string
  /** Number of the record that the first one follows; 0 without. Its first record declares all that was declared. */
  after?: number
}

/** Where in the code something stands. */
export interface Place {
  /** With slashes; below the folder that the game was started in, or whole. */
  file: string
  /** From 1. */
  line: number
  /** What stood around it when it was recorded; null where it was not kept. */
  source: SourceLines | null
}
/** Some lines of a file, without their ends. */
export interface SourceLines {
  /** Number of the first. */
  from: number
  lines: string[]
}

export interface MarkerDeclaration {
  id: number
  name: string
  group: string
  kind: MarkerKind
  /** What else is known of it, such as `search`. */
  tags: string[]
  /** Ids of the watched values its runs look at. */
  watches: number[]
  /** Where it was made; null where that is not known. */
  at: Place | null
}
/** A marker that looks for something it could have kept. */
export const SEARCH_TAG = 'search'
/** A span under this tag is where something probably happened, not how long it took. */
export const SUSPECTED_TAG = 'suspected'

export interface LaneDeclaration {
  id: number
  name: string
}
export interface GaugeDeclaration {
  id: number
  name: string
  unit: string
  /** Of a trial: what is used in turn; the gauge's value is the number of the one in use, from 0. Empty for other gauges. */
  variants: string[]
}
/** A value whose changes are counted. */
export interface WatchDeclaration {
  id: number
  name: string
}
/** A class of instances: what is born and dies, and what the loop updates. */
export interface ClassDeclaration {
  id: number
  name: string
  /** The marker that runs once for each of its updates; null if none does. */
  marker: number | null
}

export interface DeclareRecord {
  leftOut?: LeftOut[]
  record: 'declare'
  sequence: number
  markers: MarkerDeclaration[]
  lanes: LaneDeclaration[]
  gauges: GaugeDeclaration[]
  watches: WatchDeclaration[]
  classes: ClassDeclaration[]
}

/** Spans of one lane, frame after frame, each frame's in order of start with parents before children. */
export interface LaneSpans extends Partial<ColumnsOf<typeof SPAN_DETAILS>> {
  lane: number
  /** Spans handed over with each frame of the chunk. */
  count: Uint32Array
  marker: Uint32Array
  startNs: Float64Array
  durationNs: Float64Array
  /** 0 for the outermost. */
  depth: Uint8Array
}

export type GaugeSamples = SamplesOf<'gauges'>
/** How often a watched value was looked at, and how often it had changed, in the frames where it was. */
export type WatchSamples = SamplesOf<'watches'>
/** Instances of a class created and disposed of, and the bytes of those born as far as the game says. */
export type LifeSamples = SamplesOf<'lives'>
/** The updaters of a class at the end of each frame in which something about them changed. */
export type UpdaterSamples = SamplesOf<'updaters'>
/** What became of jobs, one element an event; in any order. */
export type JobEvents = ColumnsOf<typeof JOB_COLUMNS>

/** Why seconds of a play-through were kept. */
export interface Stretch {
  /** In words, such as `frame over 33 ms`. */
  cause: string
  /** Wall-clock time of the cause, RFC 3339. */
  at: string
}

export interface Moment {
  name: string
  atNs: number
  data: Record<string, string | number | boolean> | null
}

/** A small picture of what was on the screen. */
export interface Picture {
  atNs: number
  /** PNG, JPEG or WebP. */
  bytes: Uint8Array
}

/** Calls of the recorder that it had to repair or leave out, told in words. */
export interface ProblemCount {
  /** Such as `values were not numbers`: reads on from the count. */
  what: string
  /** Such as `gauge fish`; empty when there is nothing to name. */
  about: string
  count: number
}

export interface ChunkRecord extends ColumnsOf<typeof FRAME_COLUMNS> {
  leftOut?: LeftOut[]
  record: 'chunk'
  sequence: number
  frameStartNs: Float64Array
  frameDurationNs: Float64Array
  /** Columns of one element a frame that this version does not know. */
  otherFrameColumns: OtherColumns
  lanes: LaneSpans[]
  gauges: GaugeSamples[]
  watches: WatchSamples[]
  lives: LifeSamples[]
  updaters: UpdaterSamples[]
  jobs: JobEvents
  moments: Moment[]
  pictures: Picture[]
  /** Given in the first chunk of a kept stretch. */
  stretch: Stretch | null
  /** Whole frames the recorder had to leave out before this chunk. */
  dropped: number
  /** Unbalanced enters and leaves that the recorder repaired in this chunk. */
  repaired: number
  /** Since the record before. */
  problems: ProblemCount[]
}

export interface EndRecord {
  leftOut?: LeftOut[]
  record: 'end'
  sequence: number
  /** Whole frames left out since the last chunk. */
  dropped: number
  problems: ProblemCount[]
}

/** Every record after the first carries its sequence number, counting from 1. */
export type FollowingRecord = DeclareRecord | ChunkRecord | EndRecord
export type AnyRecord = TakeRecord | FollowingRecord

export const noJobs = (): JobEvents => newColumns(JOB_COLUMNS, 0)

/** A chunk without frames: what others are made from. */
export const emptyChunk = (sequence: number): ChunkRecord => ({
  record: 'chunk',
  sequence,
  frameStartNs: new Float64Array(0),
  frameDurationNs: new Float64Array(0),
  ...newColumns(FRAME_COLUMNS, 0),
  otherFrameColumns: {},
  lanes: [],
  gauges: [],
  watches: [],
  lives: [],
  updaters: [],
  jobs: noJobs(),
  moments: [],
  pictures: [],
  stretch: null,
  dropped: 0,
  repaired: 0,
  problems: [],
})

export const endRecord = (sequence: number, dropped = 0, problems: ProblemCount[] = []): EndRecord => ({
  record: 'end',
  sequence,
  dropped,
  problems,
})
