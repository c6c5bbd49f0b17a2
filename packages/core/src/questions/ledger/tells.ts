import { LEDGER_KEYS, type LedgerRow } from '../../rollup/index.ts'
import { DETAIL_RULES, type DetailSums } from '../../rollup/course-details.ts'
import { anyNumber, number, oneOf, orNone, rows, whole, type Field, type Told } from '../shape.ts'
import { LEDGER_SCOPES } from './scopes.ts'

const detailFields = Object.fromEntries(
  Object.entries(DETAIL_RULES).map(([name, { about, unit }]) => [name, number(about, unit)]),
) as Record<keyof DetailSums, Field<number>>

const LEDGER_ENTRY = {
  key: whole('number of the path, or lane × 16,384 + number of the marker or group'),
  calls: number('runs'),
  frames: whole('in which it ran'),
  selfMs: number('without what runs inside', 'ms'),
  totalMs: number('with all inside; counted once where it calls itself', 'ms'),
  selfP99Ms: anyNumber(
    '99th percentile of its own time a frame, over all frames, those without it as 0; within 0.1 %',
    'ms',
  ),
  worstSelfMs: number('in one frame', 'ms'),
  worstFrame: whole('with the most own time'),
  ...detailFields,
}
export type LedgerEntry = Told<typeof LEDGER_ENTRY>

export const LEDGER_TELLS = {
  by: oneOf(LEDGER_KEYS, 'as asked'),
  scope: oneOf(LEDGER_SCOPES, 'as asked'),
  frames: whole(
    'that sums are to be divided by for the mean of a frame; 1 for a difference, whose rows are means',
  ),
  durationMs: orNone(number('of these frames; null where they are all those from `from` to `to`', 'ms')),
  rows: rows(LEDGER_ENTRY, 'most own time first'),
}
export type LedgerTold = Told<typeof LEDGER_TELLS>

const MS = 1e-6

export function entryOf({ selfNs, totalNs, selfP99Ns, worstSelfNs, ...row }: LedgerRow): LedgerEntry {
  return {
    ...row,
    selfMs: selfNs * MS,
    totalMs: totalNs * MS,
    selfP99Ms: selfP99Ns * MS,
    worstSelfMs: worstSelfNs * MS,
  }
}
