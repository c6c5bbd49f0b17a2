import { useEffect } from 'react'
import { useFramesQuery } from '../state/frames-query.ts'
import { useBudgets } from '../state/budgets.ts'
import { usePlan } from '../state/plan.ts'
import { useSettings } from '../state/settings.ts'
import { useTake, type OpenTake } from '../state/take.ts'
import { useView } from '../state/view.ts'

/** Keeps the plan about the take that is open: read when it is first needed, judged as the views are. */
export function usePlanning(take: OpenTake): void {
  const { detail } = take
  const planOpen = useSettings((settings) => settings.planOpen)
  const sight = useView((view) => view.sight)
  const planned = useView((view) => view.planned)
  const query = useFramesQuery(take)
  const plan = usePlan((state) => state.id)
  const isNeeded = planOpen || planned || sight === 'forecast' || sight === 'proof'
  const groups = useBudgets((state) => state.groups)

  const { id, frames } = detail
  useEffect(() => {
    const now = useTake.getState().take?.detail
    if (now?.id === id) void usePlan.getState().load(now, useView.getState().plan)
  }, [id])
  useEffect(() => {
    const now = useTake.getState().take?.detail
    if (!isNeeded || now?.id !== id) return
    void usePlan.getState().prepare(now, query)
    // A take that is being recorded has more frames after a while.
  }, [isNeeded, id, frames, query])
  useEffect(() => {
    if (plan !== null) useView.getState().change({ plan })
  }, [plan])
  useEffect(() => usePlan.getState().refresh(), [groups])
}
