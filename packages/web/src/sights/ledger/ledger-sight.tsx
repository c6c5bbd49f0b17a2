import { ScopeBar } from '../frame/frame-bar.tsx'
import type { SightProps } from '../sight.ts'
import { LedgerView } from './ledger-view.tsx'

/** The ledger with all the room there is. */
export function LedgerSight({ take, budgetMs }: SightProps) {
  return (
    <div className="flex h-full min-h-0 flex-col">
      <ScopeBar take={take} />
      <LedgerView take={take} budgetMs={budgetMs} wide />
    </div>
  )
}
