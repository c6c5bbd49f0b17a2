import { LEFT_OUT, type LeftOut, type ProblemCount } from './records.ts'

/** What was left out of records, as a take counts it: by field. */
export function leftOutProblems(leftOut: readonly LeftOut[] = []): ProblemCount[] {
  const counts = new Map<string, number>()
  for (const { field } of leftOut) counts.set(field, (counts.get(field) ?? 0) + 1)
  return [...counts].map(([about, count]) => ({ what: LEFT_OUT, about, count }))
}

/** The same for whoever runs the game: each field once, with the first reason. */
export function leftOutNotes(leftOut: readonly LeftOut[] = []): string[] {
  const reasons = new Map<string, string>()
  for (const { field, why } of leftOut) if (!reasons.has(field)) reasons.set(field, why)
  return [...reasons].map(([field, why]) => `"${field}" was left out, ${why}`)
}
