/** What server, web and CLI say to each other over HTTP. Times in ms unless the name says otherwise. */
import type { Conditions, MarkerKind } from '@lapsus/core/format'
import type { LedgerBy } from '@lapsus/core/rollup'
import type { FrameFigures } from '@lapsus/core/take'

/** `cut-short`: the game vanished, or its stream broke; what came before is whole and usable. */
export const TAKE_STATES = ['recording', 'complete', 'cut-short'] as const
export type TakeState = (typeof TAKE_STATES)[number]

export interface GameSummary {
  name: string
  takes: number
}

export interface TakeSummary {
  id: string
  game: string
  /** Given by a person; empty until then. */
  name: string
  note: string
  state: TakeState
  /** RFC 3339. */
  started: string
  /** Frames a second. */
  target: number
  conditions: Conditions
  frames: number
  spans: number
  durationMs: number
  /** Whole frames the recorder left out. */
  dropped: number
  repaired: number
  storedBytes: number
  /** At the take's own target; null until the recording has ended or when it has no frames. */
  figures: FrameFigures | null
  /** Work in µs, worst and median of each column; null like `figures`. */
  miniature: { worstUs: number[]; medianUs: number[] } | null
}

export interface TakeDetail extends TakeSummary {
  markers: { id: number; name: string; group: string; groupId: number; kind: MarkerKind }[]
  lanes: { id: number; name: string }[]
  gauges: { id: number; name: string; unit: string }[]
  /** In order of their numbers, from 0. `parent` is −1 for the outermost. */
  paths: { parent: number; lane: number; marker: number }[]
  moments: TakeMoment[]
}

export interface TakeMoment {
  name: string
  atNs: number
  /** The frame it fell into. */
  frame: number
  data: Record<string, string | number | boolean> | null
}

/** One frame, as CBOR: spans in order, lane after lane, parents before children. */
export interface Page {
  frame: number
  startNs: number
  durationNs: number
  path: Uint32Array
  /** ns since the take's start. */
  spanStartNs: Float64Array
  spanDurationNs: Float64Array
  gauges: { gauge: number; value: number }[]
}

export interface LedgerResponse {
  /** First and last frame, both included. */
  from: number
  to: number
  by: LedgerBy
  rows: LedgerRowDto[]
}

export interface LedgerRowDto {
  /** Path number, or lane and marker or group as one number (laneKey in core/rollup). */
  key: number
  calls: number
  frames: number
  selfMs: number
  totalMs: number
  selfP99Ms: number
  worstSelfMs: number
  worstFrame: number
}

export interface RecordingRequest {
  seconds: number
  seed: number
  flaws: string[]
  letters: number
  moths: number
  name: string
}

export const RECORDING_STATES = ['starting', 'recording', 'done', 'failed'] as const
export type RecordingState = (typeof RECORDING_STATES)[number]

/** A run of the demo game, started from here. */
export interface Recording {
  id: string
  take: string
  state: RecordingState
  seconds: number
  elapsedS: number
  frames: number
  /** Why it failed; empty otherwise. */
  message: string
}

export interface DemoGame {
  name: string
  flaws: { id: string; text: string }[]
  defaults: RecordingRequest
  limits: { seconds: number; letters: number; moths: number }
}

export interface ImportResult {
  take: string
  frames: number
  complete: boolean
  /** What could not be read, if anything; what came before it was kept. */
  problem: string | null
}

/** RFC 9457. */
export interface Problem {
  type: string
  title: string
  status: number
  detail: string
  /** The request field that is wrong, where there is one. */
  field?: string
}
