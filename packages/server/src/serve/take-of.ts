import type { Context } from 'koa'
import { notFound } from '../problem-error.ts'
import { findTake } from './queries/takes.ts'
import type { Store, TakeRow } from '../store/store.ts'

/** The take that an address names. @throws ProblemError 404 */
export async function takeOf(store: Store, context: Context): Promise<TakeRow> {
  const row = await findTake(store, context['params'].take)
  if (row === null) throw notFound('take of that name', 'take')
  return row
}
