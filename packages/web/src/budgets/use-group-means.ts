import { ask } from '../api/ask.ts'
import { LEDGER } from '@lapsus/core/questions/ledger'
import { useMemo } from 'react'
import { useAnswer } from '../api/use-answer.ts'
import { idOfKey, laneOfKey } from '@lapsus/core/rollup'
import { MAIN_LANE } from '@lapsus/core/take'
import { useBudgets } from '../state/budgets.ts'
import { useFramesQuery } from '../state/frames-query.ts'
import type { OpenTake } from '../state/take.ts'

/** What the groups with a budget take, ms a frame on the main lane over the chosen frames; null until it is known. */
export function useGroupMeans(take: OpenTake): ReadonlyMap<string, number> | null {
  const groups = useBudgets((state) => state.groups)
  const query = useFramesQuery(take)
  const isAsked = Object.keys(groups).length > 0
  const { answer } = useAnswer(`${isAsked} ${take.detail.id} ${JSON.stringify(query)}`, async (signal) =>
    isAsked ? ask(LEDGER, take.detail.id, query, { by: 'group' }, signal) : null,
  )
  return useMemo(() => {
    if (answer === null || answer === undefined) return null
    const names = new Map(take.detail.markers.map(({ groupId, group }) => [groupId, group]))
    return new Map(
      answer.rows
        .filter(({ key }) => laneOfKey(key) === MAIN_LANE)
        .map(({ key, selfMs }) => [names.get(idOfKey(key)) ?? '', selfMs / Math.max(1, answer.frames)]),
    )
  }, [answer, take])
}
