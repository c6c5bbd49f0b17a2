import { ask, type FramesQuery } from '../../api/ask.ts'
import { LEDGER, type LedgerScope } from '@lapsus/core/questions/ledger'
import { useAnswer } from '../../api/use-answer.ts'
import type { LedgerBy } from '@lapsus/core/rollup'

export interface LedgerQuery extends FramesQuery {
  by: LedgerBy
  scope: LedgerScope
}

/** The ledger of some frames; the last one stays while the next is fetched. */
export function useLedger(takeId: string, query: LedgerQuery) {
  const { answer, ...state } = useAnswer(`${takeId} ${JSON.stringify(query)}`, (signal) =>
    ask(LEDGER, takeId, query, { by: query.by, scope: query.scope }, signal),
  )
  return { ledger: answer, ...state }
}
