/** Where the chance of the fault suite begins, and where its figures go: `npm run test:faults` sets both. */
import { existsSync, readFileSync, writeFileSync } from 'node:fs'

/** Where chance begins: the same each time in the short form. */
export const SEED = Number(process.env['FAULTS_SEED'] ?? 1)

/** Notes a figure for docs/reliability.md, where a run is asked for them. */
export function report(name: string, figures: Record<string, number | string>): void {
  const file = process.env['FAULTS_FIGURES']
  if (!file) return
  const known = existsSync(file) ? (JSON.parse(readFileSync(file, 'utf8')) as object) : {}
  writeFileSync(file, JSON.stringify({ ...known, [name]: figures }))
}
