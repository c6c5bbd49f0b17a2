/** Keeps the forecast of a plan up to date: one is under way at a time, and what changes meanwhile asks for one more. */
import type { Plan, Weighed } from '@lapsus/core/remedy'
import type { DeskForecast } from './desk.ts'

const WEIGH_AFTER_MS = 700

export interface Forecasting {
  /** Forecasts the plan as it is now. */
  refresh(): void
}

interface Parts {
  /** The plan to forecast; null while there is none, or its take is not read. */
  plan(): Plan | null
  forecast(plan: Plan): Promise<DeskForecast>
  weigh(plan: Plan): Promise<Weighed>
  told(news: { forecast?: DeskForecast; weighed?: Weighed | null; error?: string | null }): void
}

export function forecastingOf({ plan, forecast, weigh, told }: Parts): Forecasting {
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
        if (plan() !== null) told({ forecast: found, weighed: null, error: null })
      } while (again)
      askWeighed()
    } catch (error) {
      told({ error: (error as Error).message })
    } finally {
      busy = false
    }
  }

  function askWeighed(): void {
    clearTimeout(asking)
    asking = setTimeout(async () => {
      const now = plan()
      if (now === null) return
      const found = await weigh(now)
      if (plan() === now) told({ weighed: found })
    }, WEIGH_AFTER_MS)
  }

  return { refresh: () => void work() }
}
