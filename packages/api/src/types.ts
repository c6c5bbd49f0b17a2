/** What server, web and CLI say to each other over HTTP. Times in ms unless the name says otherwise. */
import type {
  ClassDeclaration,
  Conditions,
  GaugeDeclaration,
  LaneDeclaration,
  ProblemCount,
  RecordingMode,
  WatchDeclaration,
} from '@lapsus/core/format'
import type { RemedyKind } from '@lapsus/core/detect'
import type { ItemState, Plan } from '@lapsus/core/remedy'
import type { FrameColumns, FrameFigures, Marker } from '@lapsus/core/take'

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
  tags: string[]
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
  /** Records that could not be stored and were set aside. */
  setAside: number
  storedBytes: number
  /** At the take's own target; null until the recording has ended or when it has no frames. */
  figures: FrameFigures | null
}

/** A take in small: work in µs, worst and median of each column. */
export interface Miniature {
  worstUs: number[]
  medianUs: number[]
}
/** By identity; those without frames are not among them. */
export type Miniatures = Record<string, Miniature>

/** What was on the screen, at `/api/takes/TAKE/pictures/NAME`. */
export interface TakePicture {
  name: string
  atNs: number
  /** In pixels. */
  width: number
  height: number
}

export interface TakeDetail extends TakeSummary {
  markers: Marker[]
  lanes: LaneDeclaration[]
  gauges: GaugeDeclaration[]
  watches: WatchDeclaration[]
  classes: ClassDeclaration[]
  /** In order of their numbers, from 0. `parent` is −1 for the outermost. */
  paths: { parent: number; lane: number; marker: number }[]
  moments: TakeMoment[]
  stretches: TakeStretch[]
  /** What the recorder had to repair or leave out, the most frequent first. */
  problems: ProblemCount[]
  /** In order; each can be downloaded. */
  setAsideRecords: { sequence: number; reason: string; bytes: number }[]
  /** The take that this one goes on with; null for most. */
  continues: string | null
  /** Takes that go on with this one. */
  continuedBy: string[]
}

export const JOB_KINDS = ['import', 'export', 'excerpt', 'composite', 'report'] as const
export type JobKind = (typeof JOB_KINDS)[number]

/** Long work of somebody that is under way. */
export interface JobInfo {
  id: string
  kind: JobKind
  /** What it is about. */
  name: string
  state: 'waiting' | 'running'
  bytes: number
  /** Null where that is not known. */
  ofBytes: number | null
  frames: number
  ofFrames: number | null
  /** ISO 8601. */
  asked: string
  /** Null before that can be told. */
  secondsLeft: number | null
}

/** What reading a take back came to. */
export interface Verification {
  take: string
  /** Number of the last. */
  records: number
  chunks: number
  /** Of all blobs that were read. */
  bytes: number
  /** Whether the server knows that all records are as they were sent. */
  isSent: boolean
  /** Stored by an earlier version, which noted nothing. */
  unnotedChunks: number
  /** The take that it goes on with; null for most. */
  continues: string | null
  /** In words; the first of them. */
  problems: string[]
  problemCount: number
}

/** What a game has left, and this Lapsus has not taken up. */
export interface LeftFile {
  /** Its name. */
  file: string
  take: string
  /** Null where it does not begin like a take. */
  game: string | null
  bytes: number
  /** When it was written, ISO 8601. */
  at: string
  /** Why it waits. */
  reason: string
}

/** Where somebody is signed in. Times are ISO 8601. */
export interface SessionInfo {
  id: string
  began: string
  seenAt: string
  until: string
  address: string
  /** What the browser says of itself. */
  agent: string
  /** Whether it is the one that asks. */
  isThis: boolean
}

/** Whether one has to sign in, and has. */
export interface SessionState {
  isNeeded: boolean
  isSignedIn: boolean
}

/** What the takes that have ended use. */
/** How busy the server is. */
export interface LoadReport {
  /** Tasks waiting are among those in hand. */
  threads: { kind: string; threads: number; inHand: number; waiting: number }[]
  /** How late the server's own thread was within the last half to whole minute. */
  late: { p99Ms: number; mostMs: number }
  /** Of the whole process. */
  memoryBytes: number
}

export interface StorageReport {
  takes: number
  bytes: number
  /** Those with a tag or a plan: they never leave by themselves. */
  keptTakes: number
  keptBytes: number
  /** Takes older than this leave; null: never. */
  keepDays: number | null
  /** The oldest leave while all take more than this; null: never. */
  keepBytes: number | null
}

/** Seconds of a play-through that were kept for a cause; lasts to the next one's first frame. */
export interface TakeStretch {
  firstFrame: number
  cause: string
  /** RFC 3339. */
  at: string
}

export interface TakeMoment {
  name: string
  atNs: number
  /** The frame it fell into. */
  frame: number
  data: Record<string, string | number | boolean> | null
}

/** What is new of a take that is being recorded, as CBOR. */
export interface LiveNews {
  state: TakeState
  /** Of the whole take so far. */
  totalFrames: number
  dropped: number
  repaired: number
  /** Declared markers and paths so far: more than known means that the take's detail must be read anew. */
  markers: number
  paths: number
  /** Number of the first frame in `frames`. */
  firstFrame: number
  frames: FrameColumns
  /** Last values. */
  gauges: { gauge: number; value: number }[]
  moments: TakeMoment[]
  stretches: TakeStretch[]
}

export interface RecordingRequest {
  seconds: number
  seed: number
  flaws: string[]
  /** The flaw that is played in turn with its fix, in blocks of frames; empty for none. */
  trial: string
  letters: number
  moths: number
  name: string
  /** Frames a second that the game aims for. */
  target: number
  mode: RecordingMode
  /** For mode keep-last: a frame that lasts longer than this trips, ms. */
  tripMs: number
  keepSeconds: number
  /** Whether it runs inside the stand-in handset. */
  handset: boolean
  /** How routes are planned anew, but for the flaw: a few a frame, or as jobs on worker threads. */
  routes: 'sliced' | 'jobs'
  /** Graphics time of a frame on the stand-in display, ms; 0 for none. */
  graphicsMs: number
  /** Whether letters and moths grow from few to all, so that costs show against load. */
  ramp: boolean
}

/** A part of a take, to be kept as one of its own. */
export interface ExcerptRequest {
  /** Frames, both included. */
  from: number
  to: number
  name: string
}

/** `waiting`: as many games run as there are processors; `called-off`: it was stopped while it waited. */
export const RECORDING_STATES = ['waiting', 'starting', 'recording', 'done', 'failed', 'called-off'] as const
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
  /** `switched`: it can be played in turn with its fix. */
  flaws: { id: string; text: string; switched: boolean }[]
  defaults: RecordingRequest
  limits: { seconds: number; letters: number; moths: number }
}

export interface ImportResult {
  take: string
  frames: number
  complete: boolean
  /** Name of the format it was read as. */
  format: string
  /** What was wrong and passed over, in words; null for nothing. */
  skipped: string | null
  /** What could not be read, if anything; what came before it was kept. */
  problem: string | null
}

/** The first take of a file, and what else was in it. */
export interface FileImport extends ImportResult {
  others: ImportResult[]
}

/** RFC 9457. */
export interface Problem {
  type: string
  title: string
  status: number
  detail: string
  /** The request field that is wrong, where there is one. */
  field?: string
  /** What it is, for programs, where they do something about it: docs/format.md, “Answers”. */
  code?: string
}

export interface PlanSummary {
  id: string
  name: string
  /** The take it was made from; null when that is gone. */
  take: string | null
  /** Items that are not dropped. */
  items: number
  /** RFC 3339. */
  changed: string
}

export interface StoredPlan extends PlanSummary {
  game: string
  /** Raised with every change; a change names the one it is about. */
  revision: number
  plan: Plan
  /** What made no sense in what was sent, in words. */
  problems: string[]
}

/** An item of a plan, as something that was tried. */
export interface TriedItem {
  plan: string
  planName: string
  /** The take that was planned on; null when that is gone. */
  take: string | null
  /** Within the plan, from 1. */
  number: number
  remedy: RemedyKind
  /** What the remedy is called. */
  words: string
  path: string[]
  subject: string
  state: ItemState
  reason: string
  note: string
  who: string
  /** Takes recorded with it. */
  proof: string[]
  /** RFC 3339: when the plan was last changed. */
  changed: string
}

export interface KeptComparison {
  id: string
  before: string[]
  after: string[]
  sentence: string
  /** RFC 3339. */
  at: string
}

export interface Tried {
  /** Last changed first. */
  items: TriedItem[]
  /** Last kept first. */
  comparisons: KeptComparison[]
}

/** What groups of a game may spend, ms a frame by name of the group. */
export interface GroupBudgets {
  /** Empty for any device that has none of its own. */
  device: string
  groups: Record<string, number>
}

export interface BudgetsResponse {
  /** Those that count for the take: of its device, or of any; no groups where there are none. */
  budgets: GroupBudgets
  /** The device that the take was recorded on; empty where it is not told. */
  device: string
}
