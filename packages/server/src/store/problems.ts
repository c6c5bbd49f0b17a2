import type { ProblemCount } from '@lapsus/core/format'
import type { Store } from './store.ts'

/** What a take's recorder had to repair or leave out, the most frequent first. */
export async function problemsOf(store: Store, takeId: string): Promise<ProblemCount[]> {
  const rows = await store.problems.findAll({ where: { takeId }, order: [['count', 'DESC']], raw: true })
  return rows.map(({ what, about, count }) => ({ what, about, count: Number(count) }))
}
