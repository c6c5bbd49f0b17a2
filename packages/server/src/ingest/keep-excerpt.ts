import { randomUUID } from 'node:crypto'
import { excerptRecords } from '../store/records.ts'
import type { JobProgress } from '../threads/job-progress.ts'
import { wholeOrNothing, RecordStore } from './store-records.ts'
import type { Store, TakeRow } from '../store/store.ts'

/** Keeps the frames `from` to `to`, both included, as a take of their own. @returns its identity */
export async function keepExcerpt(
  store: Store,
  row: TakeRow,
  { from, to, name }: { from: number; to: number; name: string },
  progress: JobProgress,
): Promise<string> {
  const take = randomUUID()
  const records = new RecordStore(store)
  let record = 0
  await wholeOrNothing(store, records, async () => {
    for await (const next of excerptRecords(store, row, take, from, to)) {
      progress.passed(next)
      await records.put(next, { record: record++, offset: 0 })
    }
  })
  await records.finish(true)
  await store.takes.update({ name, tags: row.tags }, { where: { id: take } })
  return take
}
