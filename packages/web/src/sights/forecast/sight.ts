import type { Sight } from '../sight.ts'

export const sight: Sight = {
  name: 'forecast',
  order: 8,
  load: () => import('./forecast-view.tsx').then(({ ForecastView }) => ForecastView),
}
