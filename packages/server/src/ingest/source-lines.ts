/** Lines of source around markers, put into a take after it has ended. */
import { asFields, FormatError, LIMITS, readSourceLines, whole } from '@lapsus/core/format'
import { ProblemError } from '../problem-error.ts'
import { transact } from '../store/transaction.ts'
import { storeMarkers } from '../store/markers.ts'
import type { Store, TakeRow } from '../store/store.ts'
import { tablesOf } from '../store/take-tables.ts'

/**
 * Puts lines around markers whose place in the code is known.
 * @param given an object for each marker: `marker`, its number, and `from` and `lines`
 * @throws ProblemError 400 naming what is wrong; nothing is stored then
 */
export async function putSourceLines(store: Store, row: TakeRow, given: readonly object[]): Promise<void> {
  const { declarations } = await tablesOf(store, row)
  const placed = given.map((one) => {
    const { id, source } = read(one)
    const marker = declarations.markers.get(id)
    if (marker === undefined) throw new ProblemError(400, `the take has no marker ${id}`, 'marker')
    if (marker.at === null)
      throw new ProblemError(400, `nobody knows where marker ${id} (${marker.name}) stands`, 'marker')
    return { ...marker, at: { ...marker.at, source } }
  })
  await transact(store.database, async (transaction) => {
    await storeMarkers(store, row.id, placed, transaction)
    await row.increment('placings', { transaction })
  })
}

function read(given: object) {
  try {
    const fields = asFields(given, 'markers')
    return { id: whole(fields, 'marker', 0, LIMITS.markers - 1), source: readSourceLines(fields) }
  } catch (error) {
    throw error instanceof FormatError ? new ProblemError(400, `expected ${error.message}`, 'markers') : error
  }
}
