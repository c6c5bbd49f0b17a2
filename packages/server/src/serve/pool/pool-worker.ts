/** A thread of the pool. */
import Piscina from 'piscina'
import { connect } from '../../store/connection.ts'
import { storeOf } from '../../store/store.ts'
import { Studies, type Sources } from '../answers/studies.ts'
import type { Refused } from './named-takes.ts'
import { TASKS, type Asks, type TaskName, type Tells } from './tasks.ts'

export interface WorkerSettings {
  databaseUrl: string
}
/** One of the tasks, with what it asks. */
type Task = { [N in TaskName]: { name: N; ask: Asks[N] } }[TaskName]

const { databaseUrl } = Piscina.workerData as WorkerSettings
let sources: Promise<Sources> | null = null

async function opened(): Promise<Sources> {
  const store = storeOf(await connect(databaseUrl))
  return { store, studies: new Studies(store) }
}

export default async function work({ name, ask }: Task): Promise<Tells[TaskName] | Refused> {
  // A database that was away is looked for again with the next task.
  sources ??= opened().catch((error: unknown) => {
    sources = null
    throw error
  })
  return (TASKS[name] as (from: Sources, asked: Task['ask']) => Promise<Tells[TaskName] | Refused>)(
    await sources,
    ask,
  )
}
