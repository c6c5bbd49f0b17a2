import { useMemo } from 'react'
import { usePlan } from '../state/plan.ts'
import { useSettings } from '../state/settings.ts'
import type { OpenTake } from '../state/take.ts'
import { useView } from '../state/view.ts'
import type { PlannedFrames } from './planned-frames.ts'

/** The chosen frames as the open plan would have them; null while no plan is looked at. */
export function useForecastFrames(take: OpenTake): PlannedFrames | null {
  const forecast = usePlan((state) => state.forecast)
  const weighed = usePlan((state) => state.weighed)
  const detail = usePlan((state) => state.detail)
  const items = usePlan((state) => state.plan?.items.length ?? 0)
  const planOpen = useSettings((settings) => settings.planOpen)
  const sight = useView((view) => view.sight)
  const planned = useView((view) => view.planned)
  const isLookedAt = planOpen || planned || sight === 'forecast' || sight === 'proof'
  const isHere = isLookedAt && items > 0 && detail?.id === take.detail.id
  return useMemo(() => {
    if (!isHere || forecast === null) return null
    const { from, forecast: told } = forecast
    const { meanMs } = told.after
    const mean = weighed?.ranges.meanMs ?? null
    return {
      ...{ from, workNs: told.frames.workNs },
      range: mean === null || !(meanMs > 0) ? null : { low: mean.low / meanMs, high: mean.high / meanMs },
    }
  }, [isHere, forecast, weighed])
}
