import type { Detector, Kind } from '../finding.ts'
import { HELD_LIMITS, heldBy } from '../held.ts'

/** Late frames that wait for a refresh they should have made, or were woken late from. */
const heldByRefresh: Detector = (evidence) =>
  heldBy(evidence, 'refresh', {
    kind: 'held-by-refresh',
    advice: 'A refresh was missed, or the game was woken late from it.',
    remedies: ['by-hand', 'limit-steps'],
  })

export const kind: Kind = {
  name: 'held-by-refresh',
  order: 16,
  words: 'held by the refresh',
  found: `the same, and their longest wait is for the refresh`,
  cost: 'how late they are',
  claims: true,
  limits: { ...HELD_LIMITS },
  detect: heldByRefresh,
}
