/** Keeps the forecast of a plan up to date: one is under way at a time, and what changes meanwhile asks for one more. */
import type { Plan, Sensitivity } from '@lapsus/core/remedy'
import type { DeskForecast } from './desk.ts'

const SENSITIVITY_AFTER_MS = 700

export interface Forecasting {
  /** Forecasts the plan as it is now. */
  refresh(): void
}

interface Parts {
  /** The plan to forecast; null while there is none, or its take is not read. */
  plan(): Plan | null
  forecast(plan: Plan): Promise<DeskForecast>
  sensitivity(plan: Plan): Promise<Sensitivity[]>
  told(news: { forecast?: DeskForecast; sensitivity?: Sensitivity[]; error?: string | null }): void
}

export function forecastingOf({ plan, forecast, sensitivity, told }: Parts): Forecasting {
  let busy = false
  let again = false
  let asking: ReturnType<typeof setTimeout> | undefined

  async function work(): Promise<void> {
    if (busy) {
      again = true
      return
    }
    busy = true
    try {
      do {
        again = false
        const now = plan()
        if (now === null) return
        const found = await forecast(now)
        if (plan() !== null) told({ forecast: found, error: null })
      } while (again)
      askSensitivity()
    } catch (error) {
      told({ error: (error as Error).message })
    } finally {
      busy = false
    }
  }

  function askSensitivity(): void {
    clearTimeout(asking)
    asking = setTimeout(async () => {
      const now = plan()
      if (now === null) return
      const found = await sensitivity(now)
      if (plan() === now) told({ sensitivity: found })
    }, SENSITIVITY_AFTER_MS)
  }

  return { refresh: () => void work() }
}
