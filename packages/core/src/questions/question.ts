/**
 * A question about frames of a take: what it asks, what it tells, and its answer as one function of what a take holds.
 * Whoever has a source answers it: the server at an address, the command line from a file.
 */
import type { Evidence } from '../detect/index.ts'
import { asFields, decodeCbor, encodeCbor, type Conditions, type JobEvents } from '../format/index.ts'
import type { ReadPlan } from '../remedy/index.ts'
import type { Rollup } from '../rollup/index.ts'
import type { Study } from '../study/index.ts'
import type {
  Declarations,
  FrameColumns,
  PathTable,
  Samples,
  SpanColumns,
  SpanDetails,
} from '../take/index.ts'
import { hasColumns, number, readShape, truth, whole, type Shape, type Told } from './shape.ts'

/** Something is asked that this take does not have; the message says what there is. */
export class WrongAsk extends Error {
  readonly field: string
  /** It names something that is not there; else it makes no sense. */
  readonly isMissing: boolean
  constructor(field: string, message: string, isMissing = false) {
    super(message)
    this.field = field
    this.isMissing = isMissing
  }
}

/** Single runs, read from some of the chunks that hold any. */
export interface Runs {
  /** In any order. */
  durationNs: Float64Array
  /** Of these so many were read. */
  chunks: number
  chunksRead: number
}

/** One frame with what is around it. */
export interface FrameSource {
  /** Of its chunk. */
  frames: FrameColumns
  /** Number of the frame within the chunk. */
  within: number
  spans: SpanColumns
  details: SpanDetails | null
  samples: Samples
  /** Of the chunk and, once something happened to jobs in the frame, of those beside. */
  jobs(): Promise<JobEvents[]>
}

/** What questions about the chosen frames of a take are answered from. */
export interface Source {
  conditions: Conditions
  declarations: Declarations
  paths: PathTable
  /** Of the whole take. */
  frames: number
  /** The frames that are asked about. */
  chosen: FramesTold
  /** The chosen frames with their courses. */
  study(): Promise<Study>
  evidence(): Promise<Evidence>
  /** What the chosen frames add up to, where sums are kept and as recorded; null where they must be added up. */
  rollup(): Promise<Rollup | null>
  runs(paths: ReadonlySet<number>, calls: Float64Array): Promise<Runs>
  /** Null where there is no such frame. */
  frame(frame: number): Promise<FrameSource | null>
  /** A plan, by the name it is known under where the take is kept; null where there is none. */
  plan(name: string): Promise<ReadPlan | null>
}

export interface Question<A extends Shape = Shape, T extends Shape = Shape> {
  /** The name of its folder. */
  name: string
  /** Raised whenever the same frames are answered otherwise; answers carry it, and stored ones of another are not used. */
  version: number
  about: string
  /** Below a take's address; a part that begins with a colon is one of what it asks. */
  at: string
  /** Whether it is about chosen frames, judged by a target; else about what it asks alone. */
  ofFrames: boolean
  asks: A
  tells: T
  answer(source: Source, asked: Told<A>): Promise<Told<T>>
  /** What the fields of an answer must be to each other. @throws FormatError */
  verify?(told: Told<T>): void
}

/** Which frames were looked at, and how they were judged. */
export const FRAMES_TOLD = {
  from: whole('first frame'),
  to: whole('last frame, included; before `from` where there are none', '', -1),
  target: number('that frames are judged by', 'frames/s'),
  withoutRecorder: truth('whether the recorder’s estimated share is taken out'),
}
export type FramesTold = Told<typeof FRAMES_TOLD>

const VERSION_TOLD = { version: whole('of the question: another may answer otherwise') }

/** An answer as it is told to others. */
export type Answer<Q extends { tells: Shape }> = Told<Q['tells']> & FramesTold & { version: number }
export type Asked<Q extends { asks: Shape }> = Told<Q['asks']>

/** For defining one: keeps the types of its tables. */
export const question = <A extends Shape, T extends Shape>(parts: Question<A, T>): Question<A, T> => parts

/** The answer with what it is an answer about. */
export async function answer<A extends Shape, T extends Shape>(
  asked: Question<A, T>,
  source: Source,
  input: Told<A>,
): Promise<Answer<Question<A, T>>> {
  const told = await asked.answer(source, input)
  const about = asked.ofFrames ? source.chosen : {}
  return { ...about, version: asked.version, ...told } as Answer<Question<A, T>>
}

export const travelsAsCbor = ({ tells }: Pick<Question, 'tells'>): boolean => hasColumns(tells)

/** Everything that an answer tells, those of its frames included. */
export const wholeShape = ({ ofFrames = false, tells }: { ofFrames?: boolean; tells: Shape }): Shape => ({
  ...(ofFrames ? FRAMES_TOLD : {}),
  ...VERSION_TOLD,
  ...tells,
})

/** An answer as it came over the wire, checked. @throws FormatError naming the field that is wrong */
export function readAnswer<Q extends Question>(asked: Q, sent: Uint8Array | unknown): Answer<Q> {
  const value = travelsAsCbor(asked) ? decodeCbor(sent as Uint8Array) : sent
  const told = readShape(wholeShape(asked), asFields(value, asked.name))
  asked.verify?.(told as never)
  return told as Answer<Q>
}

/** As it is sent: CBOR where it has columns, else what becomes JSON. */
export const written = (asked: Pick<Question, 'tells'>, told: object): Uint8Array | object =>
  travelsAsCbor(asked) ? encodeCbor(told) : told
