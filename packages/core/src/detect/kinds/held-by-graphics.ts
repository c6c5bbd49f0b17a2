import { part } from '../sentences.ts'
import type { Detector, Kind } from '../finding.ts'
import { HELD_LIMITS, heldBy } from '../held.ts'

/** Late frames that wait for graphics: no change to the game’s logic makes them sooner. */
const heldByGraphics: Detector = (evidence) =>
  heldBy(evidence, 'graphics', {
    kind: 'held-by-graphics',
    advice: 'Logic that is faster would only wait longer.',
    remedies: ['by-hand'],
  })

export const kind: Kind = {
  name: 'held-by-graphics',
  order: 15,
  words: 'held by graphics',
  found: `${part(HELD_LIMITS.LEAST_SHARE)} of the frames or more, and ${HELD_LIMITS.LEAST_FRAMES}, are late though their work fits, and their longest wait is for graphics`,
  cost: 'how late they are',
  claims: true,
  limits: { ...HELD_LIMITS },
  detect: heldByGraphics,
}
