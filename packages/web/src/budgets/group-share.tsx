import { ms } from '@lapsus/core/words'
import { useBudgets } from '../state/budgets.ts'
import type { OpenTake } from '../state/take.ts'
import { useView } from '../state/view.ts'
import { useGroupMeans } from './use-group-means.ts'

/** What the group of a path takes, against what it may; nothing where it has no budget. */
export function GroupShare({ take, pathId }: { take: OpenTake; pathId: number | null }) {
  const means = useGroupMeans(take)
  const groups = useBudgets((state) => state.groups)
  if (pathId === null || means === null) return null
  const { group } = take.markers.get(take.paths.get(pathId).marker)!
  const budgetMs = groups[group]
  if (budgetMs === undefined) return null
  const meanMs = means.get(group) ?? 0
  return (
    <p className="text-xs" data-testid="group-share">
      group {group || 'without a name'} takes{' '}
      <b className={`font-medium ${meanMs > budgetMs ? 'text-alarm' : ''}`}>{ms(meanMs)}</b> of its{' '}
      {ms(budgetMs)}
    </p>
  )
}

/** The groups that take more than they may; below the findings, which are not to move when it comes. */
export function GroupsOver({ take }: { take: OpenTake }) {
  const means = useGroupMeans(take)
  const groups = useBudgets((state) => state.groups)
  const { change } = useView.getState()
  const over = Object.entries(groups).filter(([group, budgetMs]) => (means?.get(group) ?? 0) > budgetMs)
  if (over.length === 0) return null
  return (
    <button
      type="button"
      title="Open the ledger by group"
      className="block w-full shrink-0 border-t border-line px-3 py-1.5 text-left text-xs hover:bg-line/35"
      data-testid="groups-over"
      onClick={() => change({ sight: 'ledger', by: 'group' })}
    >
      <span className="text-alarm">over their share: </span>
      {over
        .map(([group, budgetMs]) => `${group || 'no group'} ${ms(means!.get(group)!)} of ${ms(budgetMs)}`)
        .join(', ')}
    </button>
  )
}

/** The same for one line of a ledger by group. */
export function ShareChip({ group, meanMs }: { group: string; meanMs: number }) {
  const budgetMs = useBudgets((state) => state.groups[group])
  if (budgetMs === undefined) return null
  const isOver = meanMs > budgetMs
  return (
    <span
      className={`ml-2 shrink-0 text-xs ${isOver ? 'text-alarm' : 'text-faint'}`}
      title="Mean self time a frame against what the group may take"
    >
      {isOver ? `over its ${ms(budgetMs)}` : `of ${ms(budgetMs)}`}
    </span>
  )
}
