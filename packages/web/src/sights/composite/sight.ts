import { isComposite } from '@lapsus/core/composite'
import type { Sight } from '../sight.ts'

export const sight: Sight = {
  name: 'composite',
  order: 11,
  fits: ({ detail }) => isComposite(detail.conditions),
  load: () => import('./composite-view.tsx').then(({ CompositeView }) => CompositeView),
}
