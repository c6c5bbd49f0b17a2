import type { Context } from 'koa'
import { notFound, ProblemError } from '../problem-error.ts'
import { findTake } from './queries/takes.ts'
import type { Store, TakeRow } from '../store/store.ts'

/** The take that an address names. @throws ProblemError 404 */
export async function takeOf(store: Store, context: Context): Promise<TakeRow> {
  const row = await findTake(store, context['params'].take)
  if (row === null) throw notFound('take of that name', 'take')
  return row
}

/** @throws ProblemError 404 naming the first that is not there, 409 for one that is still being recorded */
export async function takesOf(store: Store, ids: readonly string[], field: string): Promise<TakeRow[]> {
  const rows: TakeRow[] = []
  for (const id of ids) {
    const row = await findTake(store, id)
    if (row === null) throw notFound(`take ${id}`, field)
    if (row.state === 'recording') throw new ProblemError(409, `take ${id} is still being recorded`, field)
    rows.push(row)
  }
  return rows
}
