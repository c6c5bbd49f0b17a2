import type { Context } from 'koa'
import type { TakeRow } from '../database/models.ts'
import { notFound } from '../problem-error.ts'
import { findTake } from '../queries/takes.ts'

/** The take that an address names. @throws ProblemError 404 */
export async function takeOf(context: Context): Promise<TakeRow> {
  const row = await findTake(context['params'].take)
  if (row === null) throw notFound('take of that name', 'take')
  return row
}
