import { api, type FramesQuery } from '../api/client.ts'
import { useAnswer } from '../api/use-answer.ts'
import type { LedgerScope } from '@lapsus/core/detect'
import type { LedgerBy } from '@lapsus/core/rollup'

export interface LedgerQuery extends FramesQuery {
  by: LedgerBy
  scope: LedgerScope
}

/** The ledger of some frames; the last one stays while the next is fetched. */
export function useLedger(takeId: string, query: LedgerQuery) {
  const { answer, ...state } = useAnswer(`${takeId} ${JSON.stringify(query)}`, (signal) =>
    api.ledger(takeId, query, signal),
  )
  return { ledger: answer, ...state }
}
