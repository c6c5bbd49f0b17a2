import type { ForecastFrames } from '@lapsus/core/remedy'
import { usePlan } from '../state/plan.ts'
import { useSettings } from '../state/settings.ts'
import type { OpenTake } from '../state/take.ts'
import { useView } from '../state/view.ts'

/** The frames of the take as the open plan would have them; null while no plan is looked at. */
export function useForecastFrames(take: OpenTake): ForecastFrames | null {
  const forecast = usePlan((state) => state.forecast)
  const detail = usePlan((state) => state.detail)
  const items = usePlan((state) => state.plan?.items.length ?? 0)
  const planOpen = useSettings((settings) => settings.planOpen)
  const sight = useView((view) => view.sight)
  const planned = useView((view) => view.planned)
  const isLookedAt = planOpen || planned || sight === 'forecast' || sight === 'proof'
  if (!isLookedAt || items === 0 || forecast === null || detail?.id !== take.detail.id) return null
  const { frames } = forecast.forecast
  return frames.workNs.length === take.frames.startNs.length ? frames : null
}
