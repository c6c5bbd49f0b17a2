/** A thread of the pool. */
import { setFlagsFromString } from 'node:v8'
import { parentPort } from 'node:worker_threads'
import { pino, type Logger } from 'pino'
import Piscina from 'piscina'
import { logOptions } from '../../log.ts'
import { connect } from '../../store/connection.ts'
import { storeOf } from '../../store/store.ts'
import { Studies } from '../answers/studies.ts'
import { problemOf } from '../error-answers.ts'
import { TASKS, type Asks, type TaskName, type Tells, type ThreadParts } from './tasks.ts'

export interface WorkerSettings {
  databaseUrl: string
  logLevel: string
}
/** What a thread says besides the results of its tasks. */
export type FromThread =
  | { closedTake: string }
  /** A line of its log, which the server's own thread writes. */
  | { line: string }
/** Why a task could not be done: what a ProblemError holds. */
export interface Failed {
  failed: {
    status: number
    message: string
    field?: string | undefined
    retryAfterS?: number | undefined
  }
}
/** One of the tasks, with what it asks. */
type Task = { [N in TaskName]: { name: N; ask: Asks[N] } }[TaskName]

/**
 * By how much a heap, with all the columns outside it, may grow between two whole collections: to three times what was left
 * after the last. V8 would mark a recording thread's heap anew for every few megabytes of columns (docs/decisions/037).
 */
const HEAP_GROWING_PERCENT = 200
// All heaps of the process heed it. Set with the first thread, so that a server which does nothing stays as small as it is.
setFlagsFromString(`--heap-growing-percent=${HEAP_GROWING_PERCENT}`)

const { databaseUrl, logLevel } = Piscina.workerData as WorkerSettings
const say = (said: FromThread) => parentPort!.postMessage(said)
const log: Logger = pino(logOptions(logLevel), { write: (line) => say({ line }) })
let parts: Promise<ThreadParts> | null = null

async function opened(): Promise<ThreadParts> {
  const store = storeOf(await connect(databaseUrl))
  store.closedTakes.add((closedTake) => say({ closedTake }))
  return { store, studies: new Studies(store), log }
}

export default async function work({ name, ask }: Task): Promise<{ told: Tells[TaskName] } | Failed> {
  try {
    // A database that was away is looked for again with the next task.
    parts ??= opened().catch((error: unknown) => {
      parts = null
      throw error
    })
    const task = TASKS[name] as (from: ThreadParts, asked: Task['ask']) => Promise<Tells[TaskName]>
    return moved(await task(await parts, ask))
  } catch (error) {
    const { problem, retryAfterS } = problemOf(error)
    const { status, detail, field } = problem
    if (status >= 500 && status !== 503) log.error({ err: error, task: name }, 'a task failed')
    return { failed: { status, message: detail, field, retryAfterS } }
  }
}

/** Bytes are handed over, not copied. */
function moved(told: Tells[TaskName]): { told: Tells[TaskName] } {
  if (!(told instanceof Uint8Array)) return { told }
  const parcel = {
    [Piscina.transferableSymbol]: [told.buffer],
    [Piscina.valueSymbol]: { told },
  }
  return Piscina.move(parcel as never) as unknown as { told: Tells[TaskName] }
}
