/** Where the time of the chosen frames went. */
import { LEDGER_KEYS, ledgerRows } from '../../rollup/index.ts'
import { frameCount, ledgerOfFrames } from '../../study/index.ts'
import { question, type Answer } from '../question.ts'
import { oneOf, optional } from '../shape.ts'
import { LEDGER_SCOPES, scopedLedger } from './scopes.ts'
import { LEDGER_TELLS, entryOf } from './tells.ts'

export * from './columns.ts'
export * from './scopes.ts'
export { entryOf, type LedgerEntry, type LedgerTold } from './tells.ts'

export const LEDGER = question({
  name: 'ledger',
  version: 2,
  about: 'What each path, marker or group spent over the chosen frames.',
  at: 'ledger',
  ofFrames: true,
  asks: {
    by: optional(oneOf(LEDGER_KEYS, 'what is added up; `path` without')),
    scope: optional(
      oneOf(
        LEDGER_SCOPES,
        'all chosen frames (as without), those of spikes, typical ones, or what spikes have more than these',
      ),
    ),
  },
  tells: LEDGER_TELLS,
  async answer(source, { by = 'path', scope = 'chosen' }) {
    const kept = scope === 'chosen' ? await source.rollup() : null
    if (kept !== null)
      return { by, scope, frames: kept.frames, durationMs: null, rows: ledgerRows(kept, by).map(entryOf) }
    if (scope === 'chosen') {
      const study = await source.study()
      const all = new Uint8Array(frameCount(study)).fill(1)
      return {
        by,
        scope,
        frames: all.length,
        durationMs: null,
        rows: ledgerOfFrames(study, all, by).map(entryOf),
      }
    }
    const { rows, frames, durationMs } = scopedLedger(await source.evidence(), scope, by)
    return { by, scope, frames, durationMs, rows: rows.map(entryOf) }
  },
})

export type LedgerAnswer = Answer<typeof LEDGER>
