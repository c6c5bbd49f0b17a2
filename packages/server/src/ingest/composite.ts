import { randomUUID } from 'node:crypto'
import type { CompositeWriter } from '@lapsus/core/composite'
import { takeRecords } from '../store/records.ts'
import type { Store, TakeRow } from '../store/store.ts'
import type { JobProgress } from '../threads/job-progress.ts'
import { wholeOrNothing, RecordStore } from './store-records.ts'

/** Stores the composite that `writer` makes of takes, the first of which is `row`. @returns its identity */
export async function keepComposite(
  store: Store,
  row: TakeRow,
  writer: CompositeWriter,
  name: string,
  progress: JobProgress,
): Promise<string> {
  const take = randomUUID()
  const records = new RecordStore(store)
  let read = 0
  await wholeOrNothing(store, records, async () => {
    for await (const record of takeRecords(store, row)) {
      progress.passed(record)
      const place = { record: read++, offset: 0 }
      for (const next of writer.next(record, take)) await records.put(next, place)
    }
  })
  await records.finish(true)
  await store.takes.update({ name, tags: row.tags }, { where: { id: take } })
  return take
}
