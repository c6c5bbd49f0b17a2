/** What takes longer than others should wait for: done on a thread of its own, with a database connection of its own. */
import type { MessagePort } from 'node:worker_threads'
import type { ImportResult, TakeState, Verification } from '@lapsus/api'
import { provePlan, type ProofPlace, type ProofTold } from '@lapsus/core/compare'
import { CompositeWriter } from '@lapsus/core/composite'
import type { ExportFormat } from '@lapsus/core/exchange'
import {
  budgetOfTake,
  budgetToJson,
  checkTakes,
  type Budget,
  type Checked,
  type NamedStudy,
} from '@lapsus/core/gate'
import { devicesOf, historyOf, type Devices, type HistoryLine } from '@lapsus/core/history'
import { baseOf, type Plan } from '@lapsus/core/remedy'
import { answerOfTakes } from '@lapsus/core/questions'
import { COMPARISON, type ComparisonAnswer } from '@lapsus/core/questions/comparison'
import { writeReport, type ReportFormat } from '@lapsus/core/report'
import type { Study } from '@lapsus/core/study'
import type { Logger } from 'pino'
import { keepComposite } from '../../ingest/composite.ts'
import { finishTake } from '../../ingest/finish.ts'
import { importTakes, type ImportOptions } from '../../ingest/import.ts'
import { keepExcerpt } from '../../ingest/keep-excerpt.ts'
import { takeTraces, type TracesAsk } from '../../ingest/otlp/arrive.ts'
import { assembleTraces } from '../../ingest/otlp/assemble.ts'
import { takePosted, type Posted, type PostedAsk } from '../../ingest/posted.ts'
import { keepRecording, type RecordingAsk } from '../../ingest/recording.ts'
import { storeSpooled, type SpoolAsk } from '../../ingest/spool.ts'
import { JobProgress } from '../../threads/job-progress.ts'
import { BODY_AHEAD, piecesFrom, sendPieces } from '../../threads/byte-pipe.ts'
import { diagnosisOf, wholeTake } from '../answers/diagnoses.ts'
import { filePieces } from '../answers/files.ts'
import { answerQuestion, type QuestionAsk } from '../answers/questions.ts'
import { verifyTake } from '../answers/verification.ts'
import type { Sources } from '../answers/studies.ts'
import { historyTakes } from '../answers/take-sums.ts'
import { makeReport, type ReportAsk } from './make-report.ts'
import { named, partsOf, refused, refusing, rowOf } from './named-takes.ts'

/** What a thread has. */
export interface ThreadParts extends Sources {
  log: Logger
}

/** Of what somebody may watch and stop: its JobProgress. */
interface OfJob {
  job: SharedArrayBuffer
}

/** Takes are named by their identities. */
export interface Asks {
  /** Does nothing: whoever does it has begun. */
  wake: null
  record: RecordingAsk
  /** Records in the body of a request. */
  post: PostedAsk
  /** Puts together what a service instance sends, until it ends, or the port closes. */
  assemble: { instanceHash: string; port: MessagePort }
  traces: TracesAsk
  spool: SpoolAsk
  /** The file comes through the port. */
  import: ImportOptions & { port: MessagePort } & OfJob
  /** One file of all takes, through the port. */
  export: { takes: string[]; format: ExportFormat; port: MessagePort } & OfJob
  excerpt: { take: string; from: number; to: number; name: string } & OfJob
  composite: { takes: string[]; name: string } & OfJob
  ask: QuestionAsk
  askSmall: QuestionAsk
  /** Reads what a take that is being recorded has by now. */
  readAhead: { take: string }
  /** Works out and stores what is wrong with a take that has ended. */
  diagnose: { take: string }
  close: { take: string; state: TakeState }
  /** Reads all of a take back. */
  verify: { take: string }
  compare: { before: string[]; after: string[]; target: number | null }
  check: { takes: string[]; budget: Budget; against: string[]; problems: string[] }
  budget: { take: string }
  /** Number of the game. */
  history: { game: number }
  devices: { game: number }
  report: ReportAsk & { format: ReportFormat } & OfJob
  /** The take that was planned on, and where the proof is. */
  proof: { take: string; plan: Plan; proof: ProofPlace[] }
}
export interface Tells {
  wake: void
  record: void
  post: Posted
  assemble: void
  /** The answer to the request. */
  traces: Uint8Array<ArrayBuffer>
  /** Names of the files that are stored. */
  spool: string[]
  import: ImportResult[]
  export: void
  /** Identity of the new take. */
  excerpt: string
  composite: string
  /** As it travels. */
  ask: Uint8Array<ArrayBuffer>
  askSmall: Uint8Array<ArrayBuffer>
  readAhead: void
  diagnose: void
  close: void
  verify: Verification
  compare: ComparisonAnswer
  check: Checked
  proof: ProofTold
  /** As a budget file has it. */
  budget: object
  history: HistoryLine[]
  report: string
  devices: Devices
}
export type TaskName = keyof Asks

/** @throws ProblemError where it was stopped before its turn */
function begun(job: SharedArrayBuffer): JobProgress {
  const progress = new JobProgress(job)
  progress.check()
  return progress
}

export const TASKS: { [N in TaskName]: (parts: ThreadParts, ask: Asks[N]) => Promise<Tells[N]> } = {
  wake: async () => {},

  record: ({ store, log }, ask) => keepRecording(store, log, ask),

  post: ({ store, log }, ask) => takePosted(store, log, ask),

  async assemble({ store, log }, { instanceHash, port }) {
    let isStopping = false
    port.on('close', () => (isStopping = true))
    await assembleTraces(store, log, instanceHash, () => isStopping)
    port.close()
  },

  traces: ({ store }, ask) => takeTraces(store, ask),

  spool: ({ store, log }, ask) => storeSpooled(store, log, ask),

  import: ({ store }, { port, job, ...options }) =>
    importTakes(store, piecesFrom(port, BODY_AHEAD), options, begun(job)),

  async export(parts, { takes, format, port, job }) {
    const progress = begun(job)
    const rows = []
    for (const take of takes) rows.push(await rowOf(parts, take))
    await sendPieces(port, filePieces(parts.store, rows, format, progress))
  },

  excerpt: async (parts, { take, job, ...excerpt }) =>
    keepExcerpt(parts.store, await rowOf(parts, take), excerpt, begun(job)),

  async composite(parts, { takes, name, job }) {
    const progress = begun(job)
    const layers = await named(parts, takes, progress)
    const writer = refusing(() => new CompositeWriter(layers))
    return keepComposite(parts.store, await rowOf(parts, takes[0]!), writer, name, progress)
  },

  ask: answerQuestion,
  askSmall: answerQuestion,

  readAhead: async (parts, { take }) => parts.studies.readAhead(await rowOf(parts, take)),

  async diagnose(parts, { take }) {
    const row = await rowOf(parts, take)
    await diagnosisOf(parts, row, wholeTake(row))
  },

  verify: async (parts, { take }) => verifyTake(parts.store, await rowOf(parts, take)),

  close: ({ store }, { take, state }) => finishTake(store, take, state),

  async compare(sources, { before, after, target }) {
    const [one, other] = [await named(sources, before), await named(sources, after)]
    const judged = target ?? one[0]!.study.target
    const studies = (takes: NamedStudy[]) => takes.map(({ study }): Study => ({ ...study, target: judged }))
    return refusing(() => answerOfTakes(COMPARISON, studies(one), studies(other)))
  },

  async check(sources, { takes, budget, against, problems }) {
    const [now, before] = [await named(sources, takes), await named(sources, against)]
    const studies = before.map(({ study }) => study)
    return refusing(() => checkTakes(now, budget, studies, problems))
  },

  async proof(sources, { take, plan, proof }) {
    const [before] = await named(sources, [take])
    const parts = await partsOf(sources, proof, before!.study.target)
    return refusing(() => provePlan(baseOf(before!.study), plan, parts))
  },

  history: async (sources, { game }) => historyOf(await historyTakes(sources, game)),

  devices: async (sources, { game }) => devicesOf(await historyTakes(sources, game)),

  async budget(sources, { take }) {
    const [found] = await named(sources, [take])
    const budget = budgetOfTake(found!.study)
    if (budget.limits.length === 0) throw refused('the take has no frames to make a budget of')
    return budgetToJson(budget)
  },

  async report(sources, { job, ...ask }) {
    return writeReport(await makeReport(sources, ask, begun(job)), ask.format)
  },
}
