import type { Detector } from '../finding.ts'
import { heldBy } from '../held.ts'

/** Late frames that wait for graphics: no change to the game’s logic makes them sooner. */
export const heldByGraphics: Detector = (evidence) =>
  heldBy(evidence, 'graphics', {
    kind: 'held-by-graphics',
    advice: 'Logic that is faster would only wait longer.',
    remedies: ['by-hand'],
  })
