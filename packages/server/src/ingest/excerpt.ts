import { randomUUID } from 'node:crypto'
import type { Sequelize } from 'sequelize'
import { TakeRow } from '../database/models.ts'
import { excerptRecords } from '../queries/export.ts'
import { RecordStore } from './store-records.ts'

/** Keeps the frames `from` to `to`, both included, as a take of their own. @returns its identity */
export async function keepExcerpt(
  database: Sequelize,
  row: TakeRow,
  { from, to, name }: { from: number; to: number; name: string },
): Promise<string> {
  const take = randomUUID()
  const store = new RecordStore(database)
  let record = 0
  for await (const next of excerptRecords(row, take, from, to)) {
    await store.put(next, { record: record++, offset: 0 })
  }
  await store.finish(true)
  await TakeRow.update({ name, tags: row.tags }, { where: { id: take } })
  return take
}
